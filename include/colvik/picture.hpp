#pragma once
/// Pictures of a recorded run, as PNG or SVG.

#include <colvik/export.hpp>
#include <colvik/trace.hpp>

#include <functional>

namespace colvik {

/// From where a 3D scene is seen, in degrees; far away, so that what is parallel stays so.
struct Eye {
  double round = 28;  ///< about the upright axis; 0: along z if y is up
  double above = 32;  ///< the horizon, -90 to 90; 90: straight down
};

struct PictureOptions {
  int width = 1280;
  int height = 800;            ///< pixels, 400 to 8000 each
  std::optional<double> at{};  ///< the moment to show, seconds; the end of the run when left out
  int strobe = 0;              ///< > 1: this many moments of the run, over each other
  std::string title{};
  std::string
      follow{};       ///< name of an object that stays in the middle; of the view its size counts
  Eye eye{};          ///< 3D
  bool four = false;  ///< 3D: from the top, the front, the side and the eye
};

/// Marks over a picture.
template <int D>
struct Overlay {
  std::vector<Vec<D>> dots{};
  std::vector<std::vector<Vec<D>>> ways{};  ///< lines with an arrow at the end
  std::vector<std::pair<Vec<D>, std::string>> notes{};
};

/// Draws a run to a .png or .svg file: colliders by tag (colour) and by how they move (line),
/// zones hatched, drawings beneath, trails of what moved with a dot each second, touches that began
/// in the last quarter of a second with their normals, and numbered marks where reactions fired. 3D
/// is shaded. In SVG a pointer over an object shows its name and tags. `view` is what to show; all
/// there is when null. Fails on another kind of file, sizes out of range, a path that cannot be
/// written, and an object to follow that is not there.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<void> draw_picture(const Trace<D>& trace, const Bounds<D>* view,
                                                      const std::string& path,
                                                      const PictureOptions& options,
                                                      const Overlay<D>* overlay = nullptr);

struct FilmOptions {
  double from = 0;
  std::optional<double> to{};  ///< seconds; the end of the run when left out
  double rate = 12;            ///< pictures a second, 1 to 60
  double speed = 1;            ///< seconds of the run a second, 0.01 to 100
  /// Called before each picture with how many there are; may be empty.
  std::function<void(int picture, int of)> progress{};
};
/// A run as an animated WebP picture, which browsers and pages show. `options.at` and `strobe` do
/// not count. Fails as draw_picture does, and on more than 10000 pictures.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<void> draw_film(const Trace<D>& trace, const Bounds<D>* view,
                                                   const std::string& path,
                                                   const PictureOptions& options,
                                                   const FilmOptions& film = {});

}  // namespace colvik
