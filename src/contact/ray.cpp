#include "contact/ray.h"

namespace colvik::contact {
namespace {

template <int D>
Shot<D> nothing() {
  return {true, std::nullopt};
}
template <int D>
Shot<D> hit_at(double t, const Vec<D>& normal, const Vec<D>& from, const Vec<D>& move) {
  Impact<D> hit;
  hit.t = t;
  hit.normal = normal;
  hit.point = from + t * move;
  return {true, hit};
}

}  // namespace

template <int D>
Shot<D> shoot_box(const Vec<D>& half, const Vec<D>& from, const Vec<D>& move) {
  double first = -1;
  double last = 1;
  int axis = -1;
  for (int i = 0; i < D; ++i) {
    if (move[i] == 0) {
      if (std::abs(from[i]) > half[i]) return nothing<D>();
      continue;
    }
    const double in = (move[i] > 0 ? -half[i] - from[i] : half[i] - from[i]) / move[i];
    const double out = (move[i] > 0 ? half[i] - from[i] : -half[i] - from[i]) / move[i];
    if (in > first) {
      first = in;
      axis = i;
    }
    last = std::min(last, out);
  }
  if (first > last || last < 0) return nothing<D>();
  if (!(first > 0)) return {};
  return hit_at<D>(first, Vec<D>(Vec<D>::Unit(axis) * (move[axis] > 0 ? -1.0 : 1.0)), from, move);
}

template <int D>
Shot<D> shoot_ball(double radius, const Vec<D>& from, const Vec<D>& move) {
  // From the point of the line nearest to the centre, which keeps the digits of far starts.
  const double length = move.norm();
  const Vec<D> along = move / length;
  const double middle = -from.dot(along);
  const double off = (from + middle * along).squaredNorm();
  if (!(from.norm() > radius)) return {};
  if (off > radius * radius || middle <= 0) return nothing<D>();
  const double distance = middle - std::sqrt(radius * radius - off);
  if (distance > length) return nothing<D>();
  const double t = std::max(0.0, distance) / length;
  return hit_at<D>(t, Vec<D>((from + t * move).normalized()), from, move);
}

template <int D>
Crossing cross_flat(const std::array<Vec<D>, D>& corner, bool two_sided, const Vec<D>& from,
                    const Vec<D>& move, double before) {
  constexpr double kEdge = 1e-9;
  const Vec<D> u = corner[1] - corner[0];
  const Vec<D> start = from - corner[0];
  Vec<D> w;
  Vec<D> normal;
  if constexpr (D == 2) normal = {u.y(), -u.x()};
  else {
    w = corner[2] - corner[0];
    normal = cross(u, w);
  }
  const double facing = -normal.dot(move);
  const double above = normal.dot(start);
  const bool behind = two_sided && above < 0;
  const double closing = behind ? -facing : facing;
  const double high = behind ? -above : above;
  if (closing <= 0 && !two_sided) return {};
  if (!(closing * closing > 1e-18 * normal.squaredNorm() * move.squaredNorm()))
    return {.settled = false};
  // Where on it, as shares of u and w, times `facing`. Which of the tests fails is anyone's guess:
  // one branch for all.
  const double edge = kEdge * closing;
  const double sign = behind ? -1 : 1;
  double s;
  double r = 0;
  if constexpr (D == 2) {
    s = sign * (start.x() * move.y() - start.y() * move.x());
  } else {
    const Vec<D> turned = cross(start, move);
    s = sign * w.dot(turned);
    r = -sign * u.dot(turned);
  }
  const double least = std::min({closing, high, s + edge, r + edge});
  const double over = std::max(high - before * closing, s + r - closing - edge);
  return {.t = least < 0 || over > 0 ? Crossing().t : high / closing};
}

template Shot<2> shoot_box(const Vec<2>&, const Vec<2>&, const Vec<2>&);
template Shot<3> shoot_box(const Vec<3>&, const Vec<3>&, const Vec<3>&);
template Shot<2> shoot_ball(double, const Vec<2>&, const Vec<2>&);
template Shot<3> shoot_ball(double, const Vec<3>&, const Vec<3>&);
template Crossing cross_flat<2>(const std::array<Vec<2>, 2>&, bool, const Vec<2>&, const Vec<2>&,
                                double);
template Crossing cross_flat<3>(const std::array<Vec<3>, 3>&, bool, const Vec<3>&, const Vec<3>&,
                                double);

}  // namespace colvik::contact
