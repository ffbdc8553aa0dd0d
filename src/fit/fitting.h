#pragma once
// One function a fit. Each gives a collider without its figures; offers.cpp adds those.
#include <memory>

#include "fit/loops.h"

namespace colvik::fitting {

// The options with what was left to us filled in.
template <int D>
struct Settled {
  FitOptions<D> options;
  double size = 0;  // longest side of the art
  void report(double part) const {
    if (options.progress) options.progress(part);
  }
};

template <int D>
class Measuring;
[[nodiscard]] Result<Offer<2>> fit_flat(const Art<2>& art, Fit as, const Settled<2>& s,
                                        const Measuring<2>& measure);
[[nodiscard]] Result<Offer<3>> fit_solid(const Art<3>& art, Fit as, const Settled<3>& s,
                                         const Measuring<3>& measure);

// The art's loops, smaller by shrink and margin.
[[nodiscard]] Result<Loops> smaller_loops(const Art<2>& art, const Settled<2>& s);
[[nodiscard]] Result<Offer<2>> fit_outline(const Art<2>& art, const Settled<2>& s);
[[nodiscard]] Result<Offer<2>> fit_parts(const Art<2>& art, const Settled<2>& s);
[[nodiscard]] Result<Offer<2>> fit_union(const Art<2>& art, const Settled<2>& s,
                                         const Measuring<2>& measure);
[[nodiscard]] Result<Offer<2>> fit_tiles(const Art<2>& art, const Settled<2>& s);
[[nodiscard]] Result<Offer<3>> fit_parts(const Art<3>& art, const Settled<3>& s);
[[nodiscard]] Result<Offer<3>> fit_light_mesh(const Art<3>& art, const Settled<3>& s,
                                              const Measuring<3>& measure);
// The hull of the art (3D), smaller by the margin; fails where nothing is left.
[[nodiscard]] Result<Shape<3>> hull_inside_by(const Shape<3>& hull, double margin);
// Likewise, each plane (of planes_of) by a margin of its own; below 0: outwards.
[[nodiscard]] Result<Shape<3>> hull_inside_by(const Shape<3>& hull,
                                              const std::vector<double>& margins);

[[nodiscard]] inline Error too_much(const char* what) {
  return Error{what, "shrink and margin leave nothing of it", "less of them"};
}

// What measuring keeps of the art.
template <int D>
class Measure {
 public:
  explicit Measure(const Art<D>& art);
  ~Measure();
  Measure(const Measure&) = delete;
  Measure& operator=(const Measure&) = delete;
  [[nodiscard]] Fitness<D> of(const Offer<D>& offer) const;
  // How far a point is outside the art; 0 inside.
  [[nodiscard]] double outside(const Vec<D>& point) const;
  // Intersection over union alone (2D).
  [[nodiscard]] double overlap(const Offer<D>& offer) const;
  // How far a convex loop stands out beyond the art (2D), nearly.
  [[nodiscard]] double stands_out(const Loop& hull) const;

 private:
  [[nodiscard]] Fitness<D> of_mesh(const Offer<D>& offer) const;  // 3D
  struct Kept;
  std::unique_ptr<Kept> kept_;
};

// What measures one art, made when it is first needed: of a model that takes a while.
template <int D>
class Measuring {
 public:
  explicit Measuring(const Art<D>& art) : art_(art) {}
  [[nodiscard]] const Measure<D>& operator()() const {
    if (!measure_) measure_ = std::make_unique<const Measure<D>>(art_);
    return *measure_;
  }

 private:
  const Art<D>& art_;
  mutable std::unique_ptr<const Measure<D>> measure_;
};

template <>
Measure<2>::Measure(const Art<2>& art);
template <>
Measure<2>::~Measure();
template <>
Fitness<2> Measure<2>::of(const Offer<2>& offer) const;
template <>
double Measure<2>::outside(const Vec<2>& point) const;
template <>
Measure<3>::Measure(const Art<3>& art);
template <>
Measure<3>::~Measure();
template <>
Fitness<3> Measure<3>::of(const Offer<3>& offer) const;
template <>
double Measure<3>::outside(const Vec<3>& point) const;
template <>
Fitness<3> Measure<3>::of_mesh(const Offer<3>& offer) const;
template <>
double Measure<2>::overlap(const Offer<2>& offer) const;
template <>
double Measure<2>::stands_out(const Loop& hull) const;

// A point, as a shape.
template <int D>
[[nodiscard]] Shape<D> point_shape() {
  Shape<D> point;
  point.kind = ShapeKind::ball;
  return point;
}
// The convex shapes that a collider is made of, in the art's frame. None of surfaces.
template <int D>
[[nodiscard]] std::vector<Placed<D>> convex_pieces(const Placed<D>& collider);
// How far the convex shape reaches from the origin along a direction of length one.
template <int D>
[[nodiscard]] double reach(const Placed<D>& convex, const Vec<D>& direction);
template <>
std::vector<Placed<2>> convex_pieces(const Placed<2>& collider);
template <>
std::vector<Placed<3>> convex_pieces(const Placed<3>& collider);
template <>
double reach(const Placed<2>& convex, const Vec<2>& direction);
template <>
double reach(const Placed<3>& convex, const Vec<3>& direction);
// Corners of the core of a convex 2D shape, counterclockwise, in its own frame.
[[nodiscard]] Loop core_of(const Shape<2>& convex);

}  // namespace colvik::fitting
