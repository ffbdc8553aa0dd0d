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
  /// Of a page that a program serves and feeds (`colvik watch`), what it starts with, as JSON; ""
  /// for a page that is complete.
  std::string live{};
};

/// The page, as text. Positions are rounded to 1/4096 of a metre. Fails in 3D where the library was
/// built without three.js. Cost: about 6 bytes of the page for each pose.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<std::string> replay_page(const Trace<D>& trace,
                                                            const ReplayOptions<D>& options);
/// How much of a run a page was given.
struct ReplayCursor {
  std::uint64_t steps = 0;
  std::size_t objects = 0;
  std::size_t touches = 0;
  std::size_t firings = 0;
  std::size_t numbers = 0;
};
/// What happened since, as JSON for such a page, and moves the cursor on.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::string replay_update(const Trace<D>& trace, ReplayCursor& cursor);
/// Writes a page. Fails also when the file cannot be written.
template <int D>
COLVIK_EXPORT Result<void> write_replay(const Trace<D>& trace, const std::string& path,
                                        const ReplayOptions<D>& options);

}  // namespace colvik
