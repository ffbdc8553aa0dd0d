#pragma once
/// Art from files: PNG pictures, SVG drawings, OBJ and glTF 2.0 models. Safe on hostile input:
/// bounded memory, no network, no file outside the allowed folder.
///
///     auto art = colvik::read_model("rack.glb");
///     auto rack = colvik::fit(colvik::checked_art(art.value().whole()).value(),
///     colvik::Fit::parts);

#include <colvik/expectation.hpp>
#include <colvik/export.hpp>
#include <colvik/fit.hpp>

namespace colvik {

/// Most bytes of a file that is read.
inline constexpr std::size_t kMostFileBytes = 256'000'000;

/// Fails on what cannot be read, is no PNG, or is larger than kMostPixels on a side or 32 million
/// pixels.
[[nodiscard]] COLVIK_EXPORT Result<Pixels> read_png(const std::string& path);

/// Red, green and blue of "#rrggbb"; nothing for what is none.
[[nodiscard]] COLVIK_EXPORT std::optional<std::array<std::uint8_t, 3>> colour_named(
    std::string_view text);

/// ".png" of "Crate.PNG": in small letters.
[[nodiscard]] COLVIK_EXPORT std::string ending_of(const std::string& path);
/// Whether a file is in a folder or below it, links followed.
[[nodiscard]] COLVIK_EXPORT bool lies_in(const std::string& path, const std::string& folder);
/// By how much `own` is scaled to be as wide as `wanted`; nothing if that makes it more than a
/// hundredth too high or too low.
[[nodiscard]] COLVIK_EXPORT std::optional<double> scale_to(const Vec<2>& wanted, const Vec<2>& own);

/// A shape of an SVG drawing, all transforms applied: x to the right, y up, the lower left corner
/// of the view box at the origin, in the view box's units.
struct DrawnShape {
  enum class Kind {
    box,     ///< a rectangle, perhaps turned
    circle,  ///< also an ellipse whose diameters differ by less than a fiftieth
    area,    ///< closed loops
    line     ///< an open line
  };
  std::string element;  ///< "rect"
  std::string id;
  std::vector<std::string> classes;
  std::vector<std::string> layers;  ///< ids and labels of the groups around it, innermost first
  Place place;
  Kind kind = Kind::area;
  bool painted = true;    ///< filled or stroked, and not wholly clear; art_of() leaves out others
  Vec<2> centre = kZero;  ///< of box and circle; of the bounds of others
  Vec<2> size = kZero;    ///< whole; of a circle its diameter, twice
  Rotation<2> turned{};   ///< of a box
  Winding winding = Winding::nonzero;
  std::vector<std::vector<Vec<2>>> loops;  ///< closed; those of box and circle too
  std::vector<Vec<2>> line;

  /// "level.svg:12:5: <rect id=\"door\">"
  [[nodiscard]] COLVIK_EXPORT std::string named() const;
};
struct SvgDrawing {
  Vec<2> size = kZero;  ///< of the view box
  std::vector<DrawnShape> shapes;
  std::vector<std::string> notes;  ///< elements that were left out, in plain words
};
/// Shapes and paths (curves as chords that are off by no more than a ten-thousandth of the
/// view box's longer side), groups, transforms, units, `use`. Hidden elements, texts and pictures
/// are left out. Fails on what is no SVG and on numbers that are not finite.
[[nodiscard]] COLVIK_EXPORT Result<SvgDrawing> read_svg(const std::string& path);
/// All shapes of the drawing together, centred on the middle of the view box, times `scale`.
[[nodiscard]] COLVIK_EXPORT Result<Art<2>> art_of(const SvgDrawing& drawing, double scale = 1);

/// A node of a glTF model that has a mesh; an OBJ file is one node, or one for each `o` in it.
struct ModelNode {
  std::string name;
  std::string mesh;
  std::vector<std::string> parents;  ///< names, nearest first
  std::string kind;                  ///< of its extras
  std::vector<std::string> tags;     ///< likewise
  Pose<3> pose{};                    ///< in the model
  Art<3> art;                        ///< in the node's own frame, its scale applied
  std::string place;                 ///< "hall.glb: node 3 'rack'"
};
struct Model {
  std::vector<ModelNode> nodes;
  std::vector<std::string> notes;  ///< what was left out, in plain words
  double length = 0;               ///< of its first animation, seconds; 0 without one

  /// All triangles in the model's frame.
  [[nodiscard]] COLVIK_EXPORT Art<3> whole() const;
};
struct ModelOptions {
  double time = 0;       ///< of the first animation, seconds
  std::string within{};  ///< folder that files which it names must be in; the model's own if empty
};
/// OBJ, glTF (.gltf, .glb). Units and axes as they are; y is up in glTF. Skins follow their joints;
/// morph targets are left out. Fails on what is none of these, on indices and offsets outside the
/// file, and on more than kMostModelTriangles.
[[nodiscard]] COLVIK_EXPORT Result<Model> read_model(const std::string& path,
                                                     const ModelOptions& options = {});

}  // namespace colvik
