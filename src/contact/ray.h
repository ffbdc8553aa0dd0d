#pragma once
// Points on straight lines: first touches that need no search.
#include <array>
#include <limits>
#include <optional>

#include "contact/cast.h"

namespace colvik::contact {

/// The result of a ray against a body without a search: whether that is settled, and the hit if so.
template <int D>
struct Shot {
  bool settled = false;
  std::optional<Impact<D>> hit;
};

/// A box about the origin, its axes those of the frame (Kay and Kajiya, "Ray tracing complex
/// scenes", 1986). Not settled for starts inside or on it.
template <int D>
[[nodiscard]] Shot<D> shoot_box(const Vec<D>& half, const Vec<D>& from, const Vec<D>& move);

/// A ball about the origin. Not settled for starts inside or on it.
template <int D>
[[nodiscard]] Shot<D> shoot_ball(double radius, const Vec<D>& from, const Vec<D>& move);

/// The result of a ray against a flat piece: whether that is settled, and the time of the hit
/// (infinite: it is not).
struct Crossing {
  bool settled = true;
  double t = std::numeric_limits<double>::infinity();
};

/// A segment (2D: its front is to the right of its direction) or triangle (3D: its front is where
/// its corners run counterclockwise), hit from its front or from both sides. Rays that run along it
/// are not settled; the sides belong to it, so that none slips through between two neighbours. What
/// is hit after t = `before` is not returned. (Möller and Trumbore, "Fast, minimum storage
/// ray/triangle intersection", 1997)
template <int D>
[[nodiscard]] Crossing cross_flat(const std::array<Vec<D>, D>& corner, bool two_sided,
                                  const Vec<D>& from, const Vec<D>& move, double before);

}  // namespace colvik::contact
