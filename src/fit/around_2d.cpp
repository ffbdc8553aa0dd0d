// Circle, box and capsule around points of the plane; balls in both dimensions.
#include <colvik/chance.hpp>

#include "fit/around.h"

namespace colvik::fitting {
namespace {

// The smallest ball that has all these points on its surface.
template <int D>
Ball<D> through(const std::vector<Vec<D>>& on) {
  if (on.empty()) return {};
  const std::size_t n = on.size() - 1;
  // Its centre is on[0] + sum of w_i (on[i] - on[0]) with equal distances: a small linear system.
  std::array<std::array<double, D + 1>, D> m{};
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t k = 0; k < n; ++k)
      m[i][k] = 2 * Vec<D>(on[i + 1] - on[0]).dot(on[k + 1] - on[0]);
    m[i][n] = Vec<D>(on[i + 1] - on[0]).squaredNorm();
  }
  for (std::size_t c = 0; c < n; ++c) {
    std::size_t best = c;
    for (std::size_t r = c + 1; r < n; ++r)
      if (std::abs(m[r][c]) > std::abs(m[best][c])) best = r;
    std::swap(m[c], m[best]);
    if (m[c][c] == 0) return {};
    for (std::size_t r = 0; r < n; ++r) {
      if (r == c) continue;
      const double by = m[r][c] / m[c][c];
      for (std::size_t k = c; k <= n; ++k) m[r][k] -= by * m[c][k];
    }
  }
  Ball<D> ball{on[0], 0};
  for (std::size_t i = 0; i < n; ++i) ball.centre += m[i][n] / m[i][i] * (on[i + 1] - on[0]);
  ball.radius = (ball.centre - on[0]).norm();
  return ball;
}

template <int D>
Ball<D> grow(std::vector<Vec<D>>& points, std::size_t count, std::vector<Vec<D>>& on) {
  Ball<D> ball = through(on);
  if (on.size() == D + 1) return ball;
  for (std::size_t i = 0; i < count; ++i) {
    if (ball.radius >= 0 &&
        (points[i] - ball.centre).squaredNorm() <= ball.radius * ball.radius * (1 + 1e-13))
      continue;
    const Vec<D> p = points[i];
    on.push_back(p);
    const Ball<D> larger = grow(points, i, on);
    on.pop_back();
    if (larger.radius < ball.radius) continue;  // of points that rounding puts on one line
    ball = larger;
    std::rotate(points.begin(), points.begin() + static_cast<std::ptrdiff_t>(i),
                points.begin() + static_cast<std::ptrdiff_t>(i) + 1);
  }
  return ball;
}

}  // namespace

template <int D>
Ball<D> ball_around(std::vector<Vec<D>> points) {
  for (std::size_t i = points.size(); i > 1; --i) {  // any order, the same in each run
    const double r = 0.5 * (chance(17, i) + 1);
    std::swap(points[i - 1],
              points[std::min(i - 1, static_cast<std::size_t>(r * static_cast<double>(i)))]);
  }
  std::vector<Vec<D>> on;
  Ball<D> ball = grow(points, points.size(), on);
  for (const Vec<D>& p : points) ball.radius = std::max(ball.radius, (p - ball.centre).norm());
  return ball;
}
template Ball<2> ball_around(std::vector<Vec<2>>);
template Ball<3> ball_around(std::vector<Vec<3>>);

Around<2> circle_around(const Loop& hull) {
  const Ball<2> ball = ball_around<2>(hull);
  return {{circle(2 * ball.radius), ball.centre, {}}, kPi * ball.radius * ball.radius};
}

Around<2> box_around(const Loop& points) {
  const Bounds<2> all = bounds_of_points(points);
  return {{box(all.size().x(), all.size().y()), all.centre(), {}}, all.size().prod()};
}

Around<2> turned_box_around(const Loop& hull) {
  Around<2> best = box_around(hull);
  const double shortest = 1e-12 * bounds_of_points(hull).size().maxCoeff();
  for (std::size_t i = 0; i < hull.size(); ++i) {
    const Vec<2> side = hull[(i + 1) % hull.size()] - hull[i];
    if (!(side.norm() > shortest)) continue;  // it has no direction
    Vec<2> along = side.normalized();
    // A quarter turn more or less gives the same box: the smallest turn.
    while (along.x() <= std::abs(along.y()) - 1e-12 || along.x() <= 0)
      along = Vec<2>(along.y(), -along.x());
    const Vec<2> up(-along.y(), along.x());
    Bounds<2> b;
    for (const Vec<2>& p : hull) b = b.merged(Vec<2>(along.dot(p), up.dot(p)));
    const double area = b.size().prod();
    if (area >= best.volume * (best.collider.turned.sine() == 0 ? kWorth : 1)) continue;
    const Vec<2> centre = b.centre();
    best = {{box(b.size().x(), b.size().y()), along * centre.x() + up * centre.y(),
             Rotation<2>(angle_of(along.y(), along.x()))},
            area};
  }
  return best;
}

Pill pill_of_radius(const std::vector<Off>& points, double radius) {
  Pill pill{radius, 1e300, -1e300};
  for (const Off& p : points) {
    const double half = std::sqrt(std::max(0.0, radius * radius - p.away * p.away));
    pill.from = std::min(pill.from, p.along + half);
    pill.to = std::max(pill.to, p.along - half);
  }
  if (pill.from > pill.to) pill.from = pill.to = 0.5 * (pill.from + pill.to);
  return pill;
}

namespace {

struct Directed {
  Vec<2> along = kZero;
  double across = 0;  // of its axis
  Pill pill;
  double area = 1e300;
};

Directed capsule_along(const Loop& hull, const Vec<2>& along) {
  const Vec<2> up(-along.y(), along.x());
  double lo = 1e300;
  double hi = -1e300;
  for (const Vec<2>& p : hull) {
    lo = std::min(lo, up.dot(p));
    hi = std::max(hi, up.dot(p));
  }
  Directed d;
  d.along = along;
  d.across = 0.5 * (lo + hi);
  std::vector<Off> off;
  off.reserve(hull.size());
  for (const Vec<2>& p : hull) off.push_back({along.dot(p), std::abs(up.dot(p) - d.across)});
  const auto area = [](double radius, double length) {
    return kPi * radius * radius + 2 * radius * length;
  };
  d.pill = pill_around(off, area);
  d.area = area(d.pill.radius, d.pill.to - d.pill.from);
  return d;
}

}  // namespace

Around<2> capsule_around(const Loop& hull, int directions) {
  Directed best;
  const auto try_angle = [&](double at) {
    const Directed d = capsule_along(hull, Rotation<2>(at).axis(0));
    if (d.area < best.area * (1 - 1e-9)) {
      best = d;
      return true;
    }
    return false;
  };
  double angle = kPi / 2;  // upright first: it stays where no other is better
  (void)try_angle(angle);
  if (try_angle(0)) angle = 0;
  const Directed upright = best;
  for (int i = 1; i < directions; ++i)
    if (try_angle(kPi * i / directions)) angle = kPi * i / directions;
  double step = kPi / directions / 2;
  for (int halving = 0; halving < 16; ++halving, step /= 2) {
    if (try_angle(angle + step)) angle += step;
    else if (try_angle(angle - step)) angle -= step;
  }
  if (best.area > kWorth * upright.area) best = upright;
  const Vec<2> up(-best.along.y(), best.along.x());
  const double length = best.pill.to - best.pill.from;
  const double middle = 0.5 * (best.pill.from + best.pill.to);
  // Its own axis is y; half a turn more gives the same.
  double turn = angle_of(best.along.y(), best.along.x()) - kPi / 2;
  if (turn > kPi / 2) turn -= kPi;
  if (turn <= -kPi / 2 - 1e-9) turn += kPi;
  return {{capsule<2>(2 * best.pill.radius, length + 2 * best.pill.radius),
           best.along * middle + up * best.across, Rotation<2>(turn)},
          best.area};
}

Loop polygon_around(const Loop& hull, std::size_t corners) {
  // Sides by the line they lie on; a side is left out by letting its neighbours meet, where that
  // adds the least area.
  struct Line {
    Vec<2> at;
    Vec<2> along;
  };
  const auto meet = [](const Line& a, const Line& b, Vec<2>& out) {
    const double turn = turn_of(a.along, b.along);
    if (turn <= 1e-9) return false;
    out = a.at + turn_of(b.at - a.at, b.along) / turn * a.along;
    return true;
  };
  std::vector<Line> lines;
  for (std::size_t i = 0; i < hull.size(); ++i)
    lines.push_back({hull[i], (hull[(i + 1) % hull.size()] - hull[i]).normalized()});
  Loop at = hull;  // corner i is where line i begins
  const auto added = [&](std::size_t i) {
    const std::size_t n = lines.size();
    Vec<2> tip = kZero;
    if (!meet(lines[(i + n - 1) % n], lines[(i + 1) % n], tip)) return 1e300;
    return 0.5 * turn_of(tip - at[i], at[(i + 1) % n] - at[i]);
  };
  std::vector<double> costs;
  for (std::size_t i = 0; i < lines.size(); ++i) costs.push_back(std::abs(added(i)));
  while (lines.size() > corners) {
    const std::size_t i =
        static_cast<std::size_t>(std::min_element(costs.begin(), costs.end()) - costs.begin());
    if (costs[i] >= 1e300) return {};
    const std::size_t n = lines.size();
    Vec<2> tip = kZero;
    (void)meet(lines[(i + n - 1) % n], lines[(i + 1) % n], tip);
    at[(i + 1) % n] = tip;
    lines.erase(lines.begin() + static_cast<std::ptrdiff_t>(i));
    at.erase(at.begin() + static_cast<std::ptrdiff_t>(i));
    costs.erase(costs.begin() + static_cast<std::ptrdiff_t>(i));
    const std::size_t m = lines.size();
    for (std::size_t k = i + m - 2; k < i + m + 2; ++k) costs[k % m] = std::abs(added(k % m));
  }
  return at;
}

}  // namespace colvik::fitting
