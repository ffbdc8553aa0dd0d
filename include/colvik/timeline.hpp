#pragma once
/// What happened in a run, over time: a lane for each reaction, pair, zone or object.

#include <colvik/export.hpp>
#include <colvik/replay.hpp>

namespace colvik {

struct TimelineOptions {
  /// What has lanes, in this order: a reaction's name; "A with B", two tag queries or "@object"s,
  /// for their touches; or one, for all touches of each object that matches. Empty: all reactions,
  /// and each zone that something touched.
  std::vector<std::string> lanes{};
  bool numbers = true;  ///< the world's own beneath, as steps
  int width = 1280;     ///< pixels, 400 to 8000; as high as the lanes need, at most 8000
  std::string title{};
  std::vector<Judged> verdicts{};  ///< bands in the lanes of their reactions
};

/// Draws a run's timeline to a .png or .svg file: bars from begin to end (filled where solids
/// touched, open where one was a zone), marks where reactions fired, bands where one was expected,
/// with a tick or a cross for met and missed. Fails, naming it, on a lane that cannot be read or
/// that is nobody's, on more than 1,900 lanes, and as draw_picture on the file.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<void> draw_timeline(const Trace<D>& trace,
                                                       const std::string& path,
                                                       const TimelineOptions& options = {});

}  // namespace colvik
