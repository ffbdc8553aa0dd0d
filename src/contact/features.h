#pragma once
// The corner, edge or face of a core that faces a direction, and what is left of it after cutting.
#include "contact/manifold.h"

namespace colvik::contact {

inline constexpr std::size_t kMostOfFace =
    12;  // corners of a face that take part; of more, some are passed over
inline constexpr std::size_t kMostCorners = 2 * kMostOfFace;  // a face clipped by as many sides

template <int D>
struct Corner {
  Vec<D> at;
  std::uint32_t id;  // not set by default: there is room for many
};

// The corner, edge or face of a core that faces a direction.
template <int D>
struct Feature {
  std::size_t count = 0;
  std::array<Corner<D>, kMostCorners> corners;
  Vec<D> face_normal = Vec<D>::Zero();  // of a face in 3D

  Feature() = default;
  Feature(const Feature& other) { *this = other; }
  Feature& operator=(const Feature& other) {  // most corners are not in use
    count = other.count;
    face_normal = other.face_normal;
    std::copy_n(other.corners.begin(), count, corners.begin());
    return *this;
  }
  ~Feature() = default;

  void add(const Vec<D>& at, std::uint32_t id) {
    if (count < kMostCorners) corners[count++] = {at, id};
  }
};

/// The corners of the core within `flat` of the furthest along `direction` that belong to one face,
/// one edge, or just the furthest. Ids are the same for the same corner whatever the direction.
template <int D>
[[nodiscard]] Feature<D> facing(const Core<D>& core, const Vec<D>& direction, double flat);

/// A new id from two others; such ids differ from those of corners, which are small.
[[nodiscard]] std::uint32_t mixed(std::uint32_t first, std::uint32_t second);

/// Cuts away what lies beyond the plane normal.x = offset. A cut corner is named after the edge cut
/// (from inside to outside) and the plane that cut it.
template <int D>
void clip(Feature<D>& f, const Vec<D>& normal, double offset, std::uint32_t plane);

/// Of many points the two (2D) or four (3D) that hold best: the outermost one, the one furthest
/// from it, and the two that add most area; the deepest takes the nearest one's place if it is so
/// by far.
template <int D>
void keep_best(std::array<ContactPoint<D>, kMostCorners>& points, std::size_t count,
               Manifold<D>& out);

}  // namespace colvik::contact
