#pragma once
/// A recorded run as a page to play: one file, which a browser opens from disk.
///
///     colvik::ReplayOptions<2> options{.title = "depot"};
///     colvik::write_replay(run.trace, "depot.html", options).value();

#include <colvik/expectation.hpp>
#include <colvik/export.hpp>

namespace colvik {

template <int D>
struct ReplayOptions {
  std::string title{};
  std::optional<Bounds<D>> view{};  ///< what is shown first; all there is when left out
  std::vector<Judged> verdicts{};
  const Trace<D>* against = nullptr;  ///< laid over the first, dashed
};

/// The page, as text. Positions are rounded to 1/4096 of a metre. Fails in 3D where the library was
/// built without three.js. Cost: about 6 bytes of the page for each pose.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<std::string> replay_page(const Trace<D>& trace,
                                                            const ReplayOptions<D>& options);
/// Writes it. Fails also when the file cannot be written.
template <int D>
COLVIK_EXPORT Result<void> write_replay(const Trace<D>& trace, const std::string& path,
                                        const ReplayOptions<D>& options);

}  // namespace colvik
