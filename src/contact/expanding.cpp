#include "contact/expanding.h"

#include <algorithm>

namespace colvik::contact {
namespace {

constexpr std::size_t kPolytopeCorners = 250;
constexpr std::size_t kMostFaces = 4 * kPolytopeCorners;
constexpr std::size_t kMostToGoOn = 8;

class Expansion {
 public:
  Expansion(const Core<3>& a, const Core<3>& b)
      : a_(a),
        b_(b),
        size_(2 * (a.half.norm() + b.half.norm())),
        small_(2 * std::min(a.half.norm(), b.half.norm())),
        curved_(!a.flat_sided() || !b.flat_sided()) {}

  bool start();
  bool start_from(const Tetrahedron<3>& held);
  bool start_from(const Start<3>& start);
  Axis<3> run();
  bool go_on(Axis<3>& best);  // false when another start does better
  void save(Start<3>& start) const;

 private:
  using Face = std::array<std::uint8_t, 3>;  // its corners
  using Edge = std::uint16_t;                // from one corner, times 256, to another
  static Edge edge(std::uint8_t from, std::uint8_t to) { return static_cast<Edge>(from << 8 | to); }
  [[nodiscard]] Vec<3> support(const Vec<3>& n) const {
    CornerPair from;
    return support(n, from);
  }
  [[nodiscard]] Vec<3> support(const Vec<3>& n, CornerPair& from) const {
    const Furthest<3> p = furthest(a_, b_, n, from);
    return p.on_a - p.on_b;
  }
  [[nodiscard]] double exact() const { return (curved_ ? 1e-6 * small_ : 0) + 1e-12 * size_; }
  // One more corner beyond the nearest face; true once none is further out.
  enum class Found { no, yes, stuck };
  Found look_beyond(Axis<3>& best);
  void close(bool above);
  void add(std::size_t i, std::size_t j, std::size_t k);
  void look_around(Axis<3>& best) const;
  bool replace_seen(const Vec<3>& p, const CornerPair& from);  // false when it sees no face

  const Core<3>& a_;
  const Core<3>& b_;
  double size_;
  double small_;
  bool curved_;
  std::size_t corner_count_ = 0;
  std::size_t face_count_ = 0;
  std::size_t nearest_ = 0;  // the face nearest the origin
  std::array<Vec<3>, kPolytopeCorners> corners_;
  std::array<CornerPair, kPolytopeCorners> from_;
  // Structure of arrays, as each new corner tests all of them.
  std::array<Face, kMostFaces> faces_;
  std::array<Vec<3>, kMostFaces> normals_;
  std::array<double, kMostFaces>
      distances_;  // of its plane from the origin; negative when the origin lies outside
  std::array<Edge, 3 * kMostFaces> rim_;
};

void Expansion::add(std::size_t i, std::size_t j, std::size_t k) {
  const std::size_t f = face_count_++;
  faces_[f] = {static_cast<std::uint8_t>(i), static_cast<std::uint8_t>(j),
               static_cast<std::uint8_t>(k)};
  const Vec<3> u = corners_[j] - corners_[i];
  const Vec<3> w = corners_[k] - corners_[i];
  const Vec<3> n = cross(u, w);
  const double area = n.squaredNorm();
  const double least = 1e-14 * size_;
  if (area > least * least * std::max(u.squaredNorm(), w.squaredNorm())) {  // higher than rounding
    normals_[f] = n / std::sqrt(area);
    distances_[f] = normals_[f].dot(corners_[i]);
  } else {  // a sliver has no normal; it only closes the surface
    normals_[f] = Vec<3>::Zero();
    distances_[f] = std::numeric_limits<double>::max();
  }
  if (f == 0 || distances_[f] < distances_[nearest_]) nearest_ = f;
}

// A tetrahedron of far points.
bool Expansion::start() {
  const double least = 1e-9 * size_;
  Vec<3> along = b_.middle - a_.middle;
  if (!(along.norm() > 0)) along = Vec<3>::Unit(0);
  const auto take = [&](std::size_t i, const Vec<3>& direction) {
    corners_[i] = support(direction, from_[i]);
  };
  take(0, along);
  take(1, -along);
  for (int i = 0; i < 3 && (corners_[1] - corners_[0]).norm() <= least; ++i) {
    take(0, Vec<3>::Unit(i));
    take(1, -Vec<3>::Unit(i));
  }
  const Vec<3> edge = corners_[1] - corners_[0];
  if (edge.norm() <= least) return false;
  int flattest = 0;
  edge.cwiseAbs().minCoeff(&flattest);
  const Vec<3> u = cross(edge, Vec<3>(Vec<3>::Unit(flattest))).normalized();
  const Vec<3> w = cross(edge, u).normalized();
  double widest = least;
  for (const Vec<3>& d : {u, Vec<3>(-u), w, Vec<3>(-w)}) {
    take(3, d);
    const double width = cross(edge, Vec<3>(corners_[3] - corners_[0])).norm() / edge.norm();
    if (width > widest) {
      widest = width;
      corners_[2] = corners_[3];
      from_[2] = from_[3];
    }
  }
  if (widest <= least) return false;
  const Vec<3> n = cross(edge, Vec<3>(corners_[2] - corners_[0])).normalized();
  take(3, n);
  take(4, -n);
  const double high = n.dot(corners_[3] - corners_[0]);
  const double low = -n.dot(corners_[4] - corners_[0]);
  if (std::max(high, low) <= least) return false;
  if (high <= low) {
    corners_[3] = corners_[4];
    from_[3] = from_[4];
  }
  corner_count_ = 4;
  close(high > low);
  return true;
}

// The faces of a tetrahedron, its last corner above or below the others.
void Expansion::close(bool above) {
  if (above) {
    add(0, 2, 1);
    add(0, 1, 3);
    add(1, 2, 3);
    add(2, 0, 3);
  } else {
    add(0, 1, 2);
    add(1, 0, 3);
    add(2, 1, 3);
    add(0, 2, 3);
  }
}

// Of curved ones the far points of start() lead sooner to the end.
bool Expansion::start_from(const Tetrahedron<3>& held) {
  const std::array<Vec<3>, 4>& corners = held.point;
  const Vec<3> u = corners[1] - corners[0];
  const Vec<3> w = corners[2] - corners[0];
  const Vec<3> n = cross(u, w);
  const double height = n.dot(corners[3] - corners[0]) / n.norm();
  if (curved_ || n.norm() < 1e-4 * small_ * small_ || !(std::abs(height) > 1e-4 * small_))
    return false;
  std::copy(corners.begin(), corners.end(), corners_.begin());
  std::copy(held.from.begin(), held.from.end(), from_.begin());
  corner_count_ = 4;
  close(height > 0);
  return true;
}

bool Expansion::start_from(const Start<3>& start) {
  for (; corner_count_ < start.corner_count; ++corner_count_) {
    const CornerPair& from = from_[corner_count_] = start.corners[corner_count_];
    corners_[corner_count_] = a_.corner(from.a) - b_.corner(from.b);
  }
  for (std::size_t f = 0; f < start.face_count; ++f)
    add(start.faces[f][0], start.faces[f][1], start.faces[f][2]);
  return face_count_ > 0;
}

bool Expansion::replace_seen(const Vec<3>& p, const CornerPair& from) {
  const std::size_t apex = corner_count_++;
  corners_[apex] = p;
  from_[apex] = from;
  // Directed edges of what the point sees; those without their opposite are the rim.
  std::size_t rim_count = 0;
  std::size_t kept = 0;
  nearest_ = 0;
  for (std::size_t f = 0; f < face_count_; ++f) {
    const Face face = faces_[f];
    const bool seen = normals_[f].dot(p) - distances_[f] > 1e-12 * size_;  // never a sliver
    if (!seen) {
      faces_[kept] = face;
      normals_[kept] = normals_[f];
      distances_[kept] = distances_[f];
      if (distances_[kept] < distances_[nearest_]) nearest_ = kept;
      ++kept;
      continue;
    }
    for (std::size_t e = 0; e < 3; ++e) {
      const std::uint8_t tail = face[e];
      const std::uint8_t to = face[(e + 1) % 3];
      const auto end = rim_.begin() + static_cast<std::ptrdiff_t>(rim_count);
      const auto back = std::find(rim_.begin(), end, edge(to, tail));
      if (back != end) *back = rim_[--rim_count];
      else rim_[rim_count++] = edge(tail, to);
    }
  }
  face_count_ = kept;
  for (std::size_t e = 0; e < rim_count && face_count_ < kMostFaces; ++e)
    add(rim_[e] >> 8, rim_[e] & 255, apex);
  return rim_count > 0;
}

Expansion::Found Expansion::look_beyond(Axis<3>& best) {
  const Vec<3> n = normals_[nearest_];
  const double distance = distances_[nearest_];
  if (distance == std::numeric_limits<double>::max()) return Found::stuck;
  CornerPair from;
  const Vec<3> p = support(n, from);
  const double reach = n.dot(p);
  if (-reach > best.gap) {
    best.gap = -reach;
    best.normal = n;
  }
  // No face is nearer than `distance`, so that nothing parts them sooner than that.
  if (-best.gap - distance <= exact() + (curved_ ? 1e-3 * std::abs(distance) : 0))
    return Found::yes;
  return replace_seen(p, from) && face_count_ > 0 ? Found::no : Found::stuck;
}

Axis<3> Expansion::run() {
  Axis<3> best;  // the normal with the least depth, of those tested
  Found found = Found::no;
  while (found == Found::no && corner_count_ < kPolytopeCorners && face_count_ + 8 < kMostFaces)
    found = look_beyond(best);
  best.capped = found != Found::yes;
  if (best.capped) look_around(best);
  return best;
}

bool Expansion::go_on(Axis<3>& best) {
  for (std::size_t k = 0; k < kMostToGoOn; ++k) {
    if (!(distances_[nearest_] > 0)) return false;  // the origin may be outside
    if (const Found found = look_beyond(best); found != Found::no) return found == Found::yes;
  }
  return false;
}

// The corners in use, and the faces.
void Expansion::save(Start<3>& start) const {
  start.corner_count = start.face_count = 0;
  if (curved_ || face_count_ > Start<3>::kMostFaces) return;
  std::array<std::uint8_t, kPolytopeCorners> saved;
  std::fill_n(saved.begin(), corner_count_, std::uint8_t{255});
  std::uint8_t count = 0;
  for (std::size_t f = 0; f < face_count_; ++f)
    for (std::size_t k = 0; k < 3; ++k) {
      std::uint8_t& corner = saved[faces_[f][k]];
      if (corner == 255) {
        if (count == Start<3>::kMostCorners) return;
        start.corners[count] = from_[faces_[f][k]];
        corner = count++;
      }
      start.faces[f][k] = corner;
    }
  start.corner_count = count;
  start.face_count = static_cast<std::uint8_t>(face_count_);
}

// Needles use up all corners: from the best normal on by trial, to ever smaller turns.
void Expansion::look_around(Axis<3>& best) const {
  for (double step = 1e-2; step > 1e-9;) {
    const double before = best.gap;
    int flattest = 0;
    best.normal.cwiseAbs().minCoeff(&flattest);
    const Vec<3> n = best.normal;
    const Vec<3> u = cross(n, Vec<3>(Vec<3>::Unit(flattest))).normalized();
    const Vec<3> w = cross(n, u);
    for (const Vec<3>& aside : {u, Vec<3>(-u), w, Vec<3>(-w)}) {
      const Vec<3> turned = (n + step * aside).normalized();
      const double gap = -turned.dot(support(turned));
      if (gap > best.gap) {
        best.gap = gap;
        best.normal = turned;
      }
    }
    if (best.gap == before) step /= 4;
  }
}

}  // namespace

std::optional<Axis<3>> expand(const Core<3>& a, const Core<3>& b, const Tetrahedron<3>* held,
                              Start<3>* start) {
  Expansion e(a, b);
  if (!(held != nullptr && e.start_from(*held)) && !e.start()) return std::nullopt;
  const Axis<3> best = e.run();
  if (start != nullptr) e.save(*start);
  return best;
}

std::optional<Axis<3>> expand_on(const Core<3>& a, const Core<3>& b, Start<3>& start) {
  Expansion e(a, b);
  Axis<3> best;
  if (!e.start_from(start) || !e.go_on(best)) return std::nullopt;
  e.save(start);
  return best;
}

}  // namespace colvik::contact
