#pragma once
/// Colliders fitted to art: a drawing's silhouette or a model's triangles. Needs no file;
/// colvik/art.hpp reads them.
///
///     auto art = colvik::traced(pixels, {.pixel = 0.02});
///     for (const auto& o : colvik::fit_all(art.value(), {}).offers) ... o.fitness.overlap ...

#include <colvik/export.hpp>
#include <colvik/shape.hpp>

#include <functional>

namespace colvik {

/// A picture: four bytes a pixel (red, green, blue, opacity), row by row from the top left.
struct Pixels {
  int width = 0;
  int height = 0;
  std::vector<std::uint8_t> bytes;
};

/// What a thing looks like, in user's units.
template <int D>
struct Art;
/// Of a drawing: loops that do not cross, those around the thing counterclockwise, those around
/// its holes clockwise.
template <>
struct Art<2> {
  std::vector<std::vector<Vec<2>>> loops;
  Bounds<2> frame{};                 ///< of the whole drawing; empty if it has none
  std::vector<std::string> notes{};  ///< what was left out, in plain words
};
/// Of a model: triangles counterclockwise seen from outside.
template <>
struct Art<3> {
  std::vector<Vec<3>> points;
  std::vector<std::array<std::uint32_t, 3>> triangles;
  std::vector<std::string> notes{};
};

struct TraceOptions {
  double pixel = 1;         ///< units that a pixel is wide and high
  int least_opacity = 128;  ///< of pixels that are part of the thing, 1 to 255
  /// Pixels of this red, green and blue are not part of it, whatever their opacity.
  std::optional<std::array<std::uint8_t, 3>> ground{};
  /// The part of the picture to trace: left, top, width, height in pixels; all when the width is 0.
  std::array<int, 4> part{0, 0, 0, 0};
  bool y_down = false;   ///< the picture's top is at the lowest y
  int least_island = 4;  ///< islands and holes of fewer pixels are left out
};
/// Most pixels on a side of a picture, and triangles of a model.
inline constexpr int kMostPixels = 8192;
inline constexpr std::size_t kMostModelTriangles = 2'000'000;

/// The outline of what is opaque, centred on the middle of the picture (of the part). Corners with
/// sides of two pixels and more are kept; stairs become slopes through the middles of their steps,
/// so that no point is further than half a pixel from the pixels' own edges. Fails on a picture
/// without such pixels, on one larger than kMostPixels, and on a part outside it. O(pixels).
[[nodiscard]] COLVIK_EXPORT Result<Art<2>> traced(const Pixels& pixels,
                                                  const TraceOptions& options = {});
enum class Winding { even_odd, nonzero };
/// Art of loops of any direction, nested as they are; those that cross each other are drawn on a
/// grid of 2000 cells along the longer side and traced. Fails where nothing is left.
[[nodiscard]] COLVIK_EXPORT Result<Art<2>> outlined_art(std::vector<std::vector<Vec<2>>> loops,
                                                        Winding winding = Winding::nonzero);
/// Checks a model and joins points at the same place; triangles without an area are left out and
/// counted in `notes`. Fails on indices out of range, values that are not finite, no triangles, and
/// more than kMostModelTriangles.
[[nodiscard]] COLVIK_EXPORT Result<Art<3>> checked_art(Art<3> art);
/// Edges that are not between exactly two triangles of opposite direction. A model with such has no
/// inside.
[[nodiscard]] COLVIK_EXPORT std::size_t open_edges(const Art<3>& art);

/// Area or volume, centre and moment of inertia of the art itself, for a density of one.
[[nodiscard]] COLVIK_EXPORT MassProperties<2> mass_of(const Art<2>& art);
[[nodiscard]] COLVIK_EXPORT MassProperties<3> mass_of(const Art<3>& art);
[[nodiscard]] COLVIK_EXPORT Bounds<2> bounds_of(const Art<2>& art);
[[nodiscard]] COLVIK_EXPORT Bounds<3> bounds_of(const Art<3>& art);

/// Ways to fit, from the cheapest collider to the dearest.
enum class Fit {
  ball,        ///< "circle", "sphere": the smallest around the art
  box,         ///< upright
  turned_box,  ///< of the least area or volume
  capsule,     ///< in any direction, of the least area or volume
  cylinder,    ///< 3D, likewise
  cone,        ///< 3D, likewise
  polygon,     ///< 2D: convex, around the art, of at most so many corners
  rounded,     ///< 2D: convex with round corners; the radius that overlaps the art best
  slabs,       ///< 3D: between slabs in 13 directions
  hull,        ///< 3D: convex hull of at most so many corners, the outermost
  simple,      ///< "union": a few circles, boxes and capsules
  parts,       ///< convex parts that cover the art within the tolerance
  outline,     ///< 2D: the outline within the tolerance, holes kept
  tiles,       ///< 2D: cells of a grid; no mass
  light_mesh,  ///< 3D: fewer triangles, within the tolerance; no mass
  mesh,        ///< 3D: all triangles; no mass
};
/// As scenes and the command line spell it; a ball is "circle" or "sphere".
template <int D>
[[nodiscard]] COLVIK_EXPORT std::string_view fit_name(Fit as);
template <int D>
[[nodiscard]] COLVIK_EXPORT std::optional<Fit> fit_named(std::string_view name);
/// Those of the dimension, in order.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::vector<Fit> fits();

template <int D>
struct FitOptions {
  double tolerance = 0;  ///< units; 0: a fiftieth of the art's longest side
  int corners = 0;       ///< polygon, rounded: 3 to 64 (0: 8); hull: 4 to 256 (0: 32)
  int parts = 0;         ///< parts: 1 to 64 (0: 16); union: 1 to 16 (0: 4)
  double shrink = 0;     ///< part by which it is smaller about its middle, 0 to 0.9
  double margin = 0;     ///< units by which it stays inside on all sides
  Vec<2> cell = kZero;   ///< tiles: whole size of a cell; 0: not offered
  std::function<void(double)> progress{};  ///< called with 0 to 1 in long work; may be empty
};

/// How well a collider fits, measured.
template <int D>
struct Fitness {
  bool has_volume = false;  ///< of collider and art; without, the shares and masses below are 0
  double overlap = 0;       ///< intersection over union of areas or volumes
  double covered = 0;       ///< part of the art that it covers
  double spilled = 0;       ///< its part outside the art, as a part of the art
  double outward = 0;       ///< largest distance that it stands out beyond the art, units
  double inward = 0;        ///< largest distance that the art stands out beyond it
  /// How far its centre of mass goes up and down as it rolls on a plane (3D: about the axis of the
  /// three about which that is least).
  double bump = 0;
  double mass = 0;            ///< over that of the art, both of the same density
  Vec<D> off_centre = kZero;  ///< from the art's centre of mass to its own
  double inertia = 0;         ///< over that of the art (3D: of the sum about three axes)
  int pieces = 0;             ///< convex pieces, cells or triangles
  int corners = 0;            ///< of these together
};

/// A collider for the art, in the art's frame.
template <int D>
struct Offer {
  Fit as = Fit::ball;
  Placed<D> collider{};
  Fitness<D> fitness{};
  /// What it was made of, to be written down: loops of an outline, corners of a polygon or hull.
  std::vector<std::vector<Vec<D>>> loops{};
  std::vector<std::array<std::uint32_t, 3>> triangles{};  ///< of a light mesh, over loops[0]
  std::vector<std::string> rows{};                        ///< of tiles
};

/// One fit, measured. Fails on options out of range, where the art does not allow it (parts of a
/// model that is not closed, a margin larger than the art), and where the tolerance cannot be kept
/// within the limits.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<Offer<D>> fit(const Art<D>& art, Fit as,
                                                 const FitOptions<D>& options = {});

template <int D>
struct Offers {
  std::vector<Offer<D>> offers;
  std::vector<std::pair<Fit, Error>> refused;  ///< with the reason
};
/// All fits that the art allows, cheapest first. A picture takes up to 0.15 seconds, a
/// model of 100,000 triangles some seconds.
template <int D>
[[nodiscard]] COLVIK_EXPORT Offers<D> fit_all(const Art<D>& art, const FitOptions<D>& options = {});

/// The cheapest that stays within the tolerance, and why.
struct Choice {
  std::size_t offer = 0;
  std::string because;
};
/// The first of the offers, which stand cheapest first, whose outward and inward distances are both
/// within the tolerance (and which has a mass, unless none of those do); if none is, the one that
/// overlaps best. What shrink and margin take away does not count. Fails on no offers.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<Choice> best_offer(const Art<D>& art, const Offers<D>& offers,
                                                      const FitOptions<D>& options = {});

/// What a collider costs beside a circle or sphere: 1 costs the same.
struct FitCost {
  double contacts = 0;  ///< contact points of a step
  double time = 0;      ///< of a step; 0 without a clock
};
/// Lets 24 copies fall into a bin for two seconds (onto what has no mass: 24 circles or spheres).
/// `seconds` is a clock. The contacts are the same in each run. Takes some hundredths of a second.
template <int D>
[[nodiscard]] COLVIK_EXPORT FitCost cost_of(const Shape<D>& shape, double (*seconds)() = nullptr);

/// Heights of a grey picture: black 0, white `height`, a pixel a cell. Fails on pictures smaller
/// than 2 x 2 pixels or larger than 2048.
[[nodiscard]] COLVIK_EXPORT Result<Shape<3>> heights_of(const Pixels& pixels, const Vec<2>& cell,
                                                        double height);

/// A collider as scene files spell it: "box = [2, 1]", one key a line, with at and turned; numbers
/// of six digits.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::string spelled(const Offer<D>& offer);

}  // namespace colvik
