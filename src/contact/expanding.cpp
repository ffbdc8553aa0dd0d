#include "contact/expanding.h"

#include <algorithm>

namespace colvik::contact {
namespace {

constexpr std::size_t kMostCorners = 250, kMostFaces = 4 * kMostCorners;

class Expansion {
 public:
  Expansion(const Core<3>& a, const Core<3>& b)
      : a_(a),
        b_(b),
        size_(2 * (a.half.norm() + b.half.norm())),
        small_(2 * std::min(a.half.norm(), b.half.norm())),
        curved_(!a.flat_sided() || !b.flat_sided()) {}

  bool start();
  bool start_from(const Tetrahedron<3>& corners);
  Axis<3> run();

 private:
  struct Face {
    std::array<std::uint8_t, 3> corner;
    Vec<3> normal;
    double distance;  // of its plane from the origin, signed; negative when the origin lies outside
  };
  [[nodiscard]] Vec<3> support(const Vec<3>& n) const { return a_.support(n) - b_.support(-n); }
  void close(bool above);
  void add(std::size_t i, std::size_t j, std::size_t k);
  void look_around(Axis<3>& best) const;
  bool replace_seen(const Vec<3>& p);  // false when it sees no face

  const Core<3>&a_, &b_;
  double size_, small_;
  bool curved_;
  std::size_t corner_count_ = 0, face_count_ = 0;
  std::array<Vec<3>, kMostCorners> corners_;
  std::array<Face, kMostFaces> faces_;
};

void Expansion::add(std::size_t i, std::size_t j, std::size_t k) {
  Face& f = faces_[face_count_++];
  f.corner = {static_cast<std::uint8_t>(i), static_cast<std::uint8_t>(j), static_cast<std::uint8_t>(k)};
  const Vec<3> u = corners_[j] - corners_[i], w = corners_[k] - corners_[i], n = cross(u, w);
  const double length = n.norm();
  if (length > 1e-14 * size_ * std::max(u.norm(), w.norm())) {  // higher than rounding
    f.normal = n / length;
    f.distance = f.normal.dot(corners_[i]);
  } else {  // a sliver has no normal; it only closes the surface
    f.normal = Vec<3>::Zero();
    f.distance = std::numeric_limits<double>::max();
  }
}

// A tetrahedron of far points.
bool Expansion::start() {
  const double least = 1e-9 * size_;
  Vec<3> along = b_.middle - a_.middle;
  if (!(along.norm() > 0)) along = Vec<3>::Unit(0);
  corners_[0] = support(along);
  corners_[1] = support(-along);
  for (int i = 0; i < 3 && (corners_[1] - corners_[0]).norm() <= least; ++i) {
    corners_[0] = support(Vec<3>::Unit(i));
    corners_[1] = support(-Vec<3>::Unit(i));
  }
  const Vec<3> edge = corners_[1] - corners_[0];
  if (edge.norm() <= least) return false;
  int flattest = 0;
  edge.cwiseAbs().minCoeff(&flattest);
  const Vec<3> u = cross(edge, Vec<3>(Vec<3>::Unit(flattest))).normalized(), w = cross(edge, u).normalized();
  double widest = least;
  for (const Vec<3>& d : {u, Vec<3>(-u), w, Vec<3>(-w)}) {
    const Vec<3> p = support(d);
    const double width = cross(edge, Vec<3>(p - corners_[0])).norm() / edge.norm();
    if (width > widest) widest = width, corners_[2] = p;
  }
  if (widest <= least) return false;
  const Vec<3> n = cross(edge, Vec<3>(corners_[2] - corners_[0])).normalized();
  const Vec<3> above = support(n), below = support(-n);
  const double high = n.dot(above - corners_[0]), low = -n.dot(below - corners_[0]);
  if (std::max(high, low) <= least) return false;
  corners_[3] = high > low ? above : below;
  corner_count_ = 4;
  close(high > low);
  return true;
}

// The faces of a tetrahedron, its last corner above or below the others.
void Expansion::close(bool above) {
  if (above) add(0, 2, 1), add(0, 1, 3), add(1, 2, 3), add(2, 0, 3);
  else add(0, 1, 2), add(1, 0, 3), add(2, 1, 3), add(0, 2, 3);
}

// Of curved ones the far points of start() lead sooner to the end.
bool Expansion::start_from(const Tetrahedron<3>& corners) {
  const Vec<3> u = corners[1] - corners[0], w = corners[2] - corners[0], n = cross(u, w);
  const double height = n.dot(corners[3] - corners[0]) / n.norm();
  if (curved_ || n.norm() < 1e-4 * small_ * small_ || !(std::abs(height) > 1e-4 * small_)) return false;
  std::copy(corners.begin(), corners.end(), corners_.begin());
  corner_count_ = 4;
  close(height > 0);
  return true;
}

bool Expansion::replace_seen(const Vec<3>& p) {
  const std::size_t apex = corner_count_;
  corners_[corner_count_++] = p;
  // Directed edges of what the point sees; those without their opposite are the rim.
  std::array<std::pair<std::uint8_t, std::uint8_t>, 3 * kMostFaces> rim;
  std::size_t rim_count = 0, kept = 0;
  for (std::size_t f = 0; f < face_count_; ++f) {
    const Face& face = faces_[f];
    const bool seen = face.normal.dot(p) - face.distance > 1e-12 * size_;  // never a sliver
    if (!seen) {
      faces_[kept++] = face;
      continue;
    }
    for (std::size_t e = 0; e < 3; ++e) {
      const std::pair edge(face.corner[e], face.corner[(e + 1) % 3]);
      const auto end = rim.begin() + static_cast<std::ptrdiff_t>(rim_count);
      const auto back = std::find(rim.begin(), end, std::pair(edge.second, edge.first));
      if (back != end) *back = rim[--rim_count];
      else rim[rim_count++] = edge;
    }
  }
  face_count_ = kept;
  for (std::size_t e = 0; e < rim_count && face_count_ < kMostFaces; ++e) add(rim[e].first, rim[e].second, apex);
  return rim_count > 0;
}

Axis<3> Expansion::run() {
  Axis<3> best;  // the normal along which they are parted soonest, of those looked along
  best.capped = true;
  const double exact = (curved_ ? 1e-6 * small_ : 0) + 1e-12 * size_;
  while (corner_count_ < kMostCorners && face_count_ + 8 < kMostFaces) {
    const Face* nearest = &faces_[0];
    for (std::size_t f = 1; f < face_count_; ++f)
      if (faces_[f].distance < nearest->distance) nearest = &faces_[f];
    if (nearest->distance == std::numeric_limits<double>::max()) break;
    const Vec<3> n = nearest->normal;
    const double distance = nearest->distance;
    const Vec<3> p = support(n);
    const double reach = n.dot(p);
    if (-reach > best.gap) best.gap = -reach, best.normal = n;
    // No face is nearer than `distance`, so that nothing parts them sooner than that.
    if (-best.gap - distance <= exact + (curved_ ? 1e-3 * std::abs(distance) : 0)) {
      best.capped = false;
      break;
    }
    if (!replace_seen(p) || face_count_ == 0) break;
  }
  if (best.capped) look_around(best);
  return best;
}

// Needles use up all corners: from the best normal on by trial, to ever smaller turns.
void Expansion::look_around(Axis<3>& best) const {
  for (double step = 1e-2; step > 1e-9;) {
    const double before = best.gap;
    int flattest = 0;
    best.normal.cwiseAbs().minCoeff(&flattest);
    const Vec<3> n = best.normal, u = cross(n, Vec<3>(Vec<3>::Unit(flattest))).normalized(), w = cross(n, u);
    for (const Vec<3>& aside : {u, Vec<3>(-u), w, Vec<3>(-w)}) {
      const Vec<3> turned = (n + step * aside).normalized();
      const double gap = -turned.dot(support(turned));
      if (gap > best.gap) best.gap = gap, best.normal = turned;
    }
    if (best.gap == before) step /= 4;
  }
}

}  // namespace

std::optional<Axis<3>> expand(const Core<3>& a, const Core<3>& b, const Tetrahedron<3>* start) {
  Expansion e(a, b);
  if (!(start != nullptr && e.start_from(*start)) && !e.start()) return std::nullopt;
  return e.run();
}

}  // namespace colvik::contact
