#pragma once
/// Pictures of a recorded run, as PNG or SVG.

#include <colvik/export.hpp>
#include <colvik/trace.hpp>

namespace colvik {

struct PictureOptions {
  int width = 1280;
  int height = 800;            ///< pixels, 400 to 8000 each
  std::optional<double> at{};  ///< the moment to show, seconds; the end of the run when left out
  int strobe = 0;              ///< > 1: this many moments of the run, over each other
  std::string title{};
};

/// Marks over a picture.
template <int D>
struct Overlay {
  std::vector<Vec<D>> dots{};
  std::vector<std::vector<Vec<D>>> ways{};  ///< lines with an arrow at the end
  std::vector<std::pair<Vec<D>, std::string>> notes{};
};

/// Draws a run to a .png or .svg file: colliders outlined, zones hatched, tags shown by colour,
/// trails of what moved, and numbered marks where reactions fired. 3D is seen from above at an
/// angle. `view` is what to show; all there is when null. Fails on another kind of file, sizes out
/// of range, or a path that cannot be written.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<void> draw_picture(const Trace<D>& trace, const Bounds<D>* view,
                                                      const std::string& path,
                                                      const PictureOptions& options,
                                                      const Overlay<D>* overlay = nullptr);

}  // namespace colvik
