// colvik_judge: every pair of convex shapes, judged by a program that shares no code with the
// library.
//
//     colvik_judge [--full] [--only 'box and cone']     JSON lines {what, dimension, pairs, worst,
//     limit, capped, ok}; exit 1 if any is not ok
//
// An answer "this far apart, along this normal, at these two points" is proved rather than
// compared: the points are on the shapes (nothing can be further apart than that), and a slab of
// that width across the normal fits between them (nothing nearer). An answer "this deep" is
// compared with the least slab that the judge finds: for flat-sided shapes among all planes through
// their corners (all there are), for curved ones by descent from many directions.
#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <iostream>
#include <map>
#include <string_view>

#include <nlohmann/json.hpp>

#include "contact/cast.h"
#include "contact/distance.h"
#include "contact/manifold.h"
#include "random.hpp"

using namespace colvik;
using test::Random;

namespace {

using Real = long double;
template <int D>
using V = std::array<Real, D>;

template <int D>
Real dot(const V<D>& a, const V<D>& b) {
  Real s = 0;
  for (int i = 0; i < D; ++i) s += a[i] * b[i];
  return s;
}
template <int D>
V<D> plus(const V<D>& a, const V<D>& b, Real k = 1) {
  V<D> r;
  for (int i = 0; i < D; ++i) r[i] = a[i] + k * b[i];
  return r;
}
template <int D>
Real length(const V<D>& a) {
  return std::sqrt(dot<D>(a, a));
}
template <int D>
V<D> unit(const V<D>& a) {
  return plus<D>(V<D>{}, a, 1 / length<D>(a));
}
V<3> product(const V<3>& a, const V<3>& b) {
  return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}
template <int D>
V<D> from(const Vec<D>& v) {
  V<D> r;
  for (int i = 0; i < D; ++i) r[i] = v[i];
  return r;
}

// What a shape is, said once more: corners (of flat-sided ones), or a disc with a point or disc
// above.
template <int D>
struct Body {
  Shape<D> shape;
  std::vector<Vec<D>> flat;  // instead of a shape: of a triangle, as surfaces are made of
  std::vector<V<D>> corners;
  Real disc = 0;
  Real half = 0;  // cylinder, cone
  bool tip = false;
  Real radius = 0;
  Real size = 0;
  std::vector<std::pair<V<D>, Real>>
      planes;  // outward normal, offset; of a flat-sided core with volume

  [[nodiscard]] bool curved() const { return corners.empty(); }
  [[nodiscard]] contact::Core<D> core(const Pose<D>& pose = {}) const {
    return flat.empty() ? contact::Core<D>(shape, pose)
                        : contact::Core<D>(std::span<const Vec<D>>(flat), pose);
  }
};

template <int D>
struct Frame {
  V<D> at{};
  std::array<V<D>, D> axes{};
  explicit Frame(const Pose<D>& pose) : at(from<D>(pose.position)) {
    for (int i = 0; i < D; ++i) axes[i] = from<D>(pose.rotation.axis(i));
  }
  [[nodiscard]] V<D> turned_back(const V<D>& d) const {
    V<D> r;
    for (int i = 0; i < D; ++i) r[i] = dot<D>(axes[i], d);
    return r;
  }
  [[nodiscard]] V<D> placed(const V<D>& p) const {
    V<D> r = at;
    for (int i = 0; i < D; ++i) r = plus<D>(r, axes[i], p[i]);
    return r;
  }
};

// The largest coordinate of the core along n.
template <int D>
Real reach(const Body<D>& b, const Frame<D>& frame, const V<D>& n) {
  const V<D> d = frame.turned_back(n);
  Real most = -1e300L;
  if (!b.curved()) {
    for (const V<D>& c : b.corners) most = std::max(most, dot<D>(c, d));
  } else if constexpr (D == 3) {
    const Real across = b.disc * std::sqrt(d[0] * d[0] + d[2] * d[2]);
    most = std::max(-b.half * d[1] + across, b.half * d[1] + (b.tip ? 0 : across));
  }
  return most + dot<D>(frame.at, n);
}

Real to_segment(Real x, Real y, Real ax, Real ay, Real bx, Real by) {
  const Real ux = bx - ax;
  const Real uy = by - ay;
  const Real t =
      std::clamp(((x - ax) * ux + (y - ay) * uy) / (ux * ux + uy * uy), Real(0), Real(1));
  return std::hypot(x - ax - t * ux, y - ay - t * uy);
}

// How far outside the core a point is. Exact but beyond the corners of flat-sided cores with
// volume, where it is the distance to the furthest plane.
template <int D>
Real outside(const Body<D>& b, const Frame<D>& frame, const V<D>& world) {
  const V<D> p = frame.turned_back(plus<D>(world, frame.at, -1));
  if (b.curved()) {
    const Real rho = std::hypot(p[0], p[D - 1]);
    const Real y = p[1];
    if (!b.tip)
      return std::hypot(std::max(Real(0), rho - b.disc), std::max(Real(0), std::abs(y) - b.half));
    if (y >= -b.half && rho * 2 * b.half <= b.disc * (b.half - y)) return 0;
    return std::min(to_segment(rho, y, 0, b.half, b.disc, -b.half),
                    to_segment(rho, y, 0, -b.half, b.disc, -b.half));
  }
  if (b.corners.size() == 1) return length<D>(plus<D>(p, b.corners[0], -1));
  if (b.corners.size() == 2) {
    const V<D> u = plus<D>(b.corners[1], b.corners[0], -1);
    const Real t =
        std::clamp(dot<D>(plus<D>(p, b.corners[0], -1), u) / dot<D>(u, u), Real(0), Real(1));
    return length<D>(plus<D>(p, plus<D>(b.corners[0], u, t), -1));
  }
  Real most = 0;
  for (const auto& [n, offset] : b.planes) most = std::max(most, dot<D>(n, p) - offset);
  return most;
}

// All planes through D corners that have the others on one side.
template <int D>
void find_planes(Body<D>& b) {
  const std::size_t n = b.corners.size();
  const auto attempt = [&](V<D> normal, const V<D>& on) {
    const Real l = length<D>(normal);
    if (l <= 1e-12L * b.size * (D == 3 ? b.size : 1)) return;
    normal = unit<D>(normal);
    for (const Real sign : {1, -1}) {
      const V<D> m = plus<D>(V<D>{}, normal, sign);
      const Real offset = dot<D>(m, on);
      if (std::all_of(b.corners.begin(), b.corners.end(),
                      [&](const V<D>& c) { return dot<D>(m, c) <= offset + 1e-12L * b.size; }))
        b.planes.emplace_back(m, offset);
    }
  };
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t j = i + 1; j < n; ++j) {
      const V<D> u = plus<D>(b.corners[j], b.corners[i], -1);
      if constexpr (D == 2) {
        attempt({u[1], -u[0]}, b.corners[i]);
      } else {
        for (std::size_t k = j + 1; k < n; ++k)
          attempt(product(u, plus<3>(b.corners[k], b.corners[i], -1)), b.corners[i]);
      }
    }
}

template <int D>
Body<D> random_body(std::size_t kind, Random& random, double scale) {
  const auto size = [&] { return scale * std::exp(random.range(-1, 1)); };
  // Now and then a needle, a thousand times as long as thick.
  const bool needle = random.coin(0.05);
  const auto thin = [&] { return needle ? 1e-3 * size() : size(); };
  Body<D> b;
  const auto corners = [&](const Vec<D>& half) {
    for (unsigned k = 0; k < 1U << D; ++k) {
      V<D> c;
      for (int i = 0; i < D; ++i) c[i] = (k >> i & 1U) != 0 ? half[i] : -half[i];
      b.corners.push_back(c);
    }
  };
  const auto points = [&] {
    std::vector<Vec<D>> p;
    const int count = D == 2 ? 3 + random.below(6) : 4 + random.below(9);
    Vec<D> stretch;
    for (int i = 0; i < D; ++i) stretch[i] = i == 0 ? thin() : size();
    const Vec<D> shift = random.vec<D>(size());
    for (int i = 0; i < count; ++i)
      p.push_back(shift + stretch.cwiseProduct(random.direction<D>()));
    return p;
  };
  switch (kind) {
    case 0:
      b.shape.radius = size();
      b.corners = {V<D>{}};
      break;
    case 1: {
      Vec<D> whole;
      for (int i = 0; i < D; ++i) whole[i] = i == 0 ? thin() : size();
      if constexpr (D == 2) b.shape = box(whole[0], whole[1]);
      else b.shape = box(whole[0], whole[1], whole[2]);
      corners(whole / 2);
      break;
    }
    case 2: {
      const double width = thin();
      const double height = width + size();
      b.shape = capsule<D>(width, height);
      V<D> top{};
      top[1] = (Real(height) - width) / 2;
      b.corners = {top, plus<D>(V<D>{}, top, -1)};
      break;
    }
    case 3: {
      const Vec<D> p = random.vec<D>(size());
      const Vec<D> q = p + random.direction<D>() * size();
      b.shape = segment<D>(p, q).value();
      b.corners = {from<D>(p), from<D>(q)};
      break;
    }
    case 4:
    case 5:
      for (;;) {
        std::vector<Vec<D>> p = points();
        if constexpr (D == 2) {
          const Vec<2> middle = p[0];
          std::sort(p.begin(), p.end(),
                    [&](const Vec<2>& x, const Vec<2>& y) { return x.x() < y.x(); });
          // A fan on an arc of directions is convex: points on an ellipse, in order round it.
          std::vector<double> angles;
          for (std::size_t i = 0; i < p.size(); ++i) angles.push_back(random.range(0, 2 * kPi));
          std::sort(angles.begin(), angles.end());
          const double wide = thin();
          const double high = size();
          for (std::size_t i = 0; i < p.size(); ++i)
            p[i] = middle + Vec<2>(wide * std::cos(angles[i]), high * std::sin(angles[i]));
          const Result<Shape<2>> made = polygon(p);
          if (!made) continue;
          b.shape = made.value();
        } else {
          const Result<Shape<3>> made = hull(p);
          if (!made) continue;
          b.shape = made.value();
        }
        for (const Vec<D>& c : p) b.corners.push_back(from<D>(c));
        break;
      }
      if (kind == 5) b.shape = rounded(b.shape, 0.3 * size());
      break;
    case 9:
      for (int k = 0; k < 3; ++k) {
        Vec<D> p = size() * random.direction<D>();
        p[0] *= needle ? 1e-2 : 1;
        b.flat.push_back(p);
        b.corners.push_back(from<D>(p));
      }
      break;
    default:
      if constexpr (D == 3) {
        const double width = thin();
        const double height = size();
        b.shape = kind == 7 ? cone(width, height) : cylinder(width, height);
        b.disc = Real(width) / 2;
        b.half = Real(height) / 2;
        b.tip = kind == 7;
        if (kind == 8) b.shape = rounded(b.shape, 0.3 * size());
      }
  }
  b.radius = b.shape.radius;
  Bounds<D> box;
  for (const Vec<D>& p : b.flat) box = box.merged(p);
  if (b.flat.empty()) box = bounds(b.shape, Pose<D>{});
  b.size = box.size().maxCoeff();
  if (b.corners.size() > 2) find_planes(b);
  if constexpr (D == 3) {
    for (std::size_t k = 0; k < b.flat.size(); ++k) {  // over the edges of what is flat
      const V<3>& at = b.corners[k];
      const V<3> edge = plus<3>(b.corners[(k + 1) % 3], at, -1);
      const V<3> out =
          unit<3>(product(edge, product(edge, plus<3>(b.corners[(k + 2) % 3], at, -1))));
      b.planes.emplace_back(out, dot<3>(out, at));
    }
  }
  return b;
}

constexpr std::array<std::string_view, 6> kNames2{"circle",  "box",     "capsule",
                                                  "segment", "polygon", "rounded polygon"};
constexpr std::array<std::string_view, 10> kNames3{
    "sphere",       "box",      "capsule", "segment",          "hull",
    "rounded hull", "cylinder", "cone",    "rounded cylinder", "triangle"};

// The least overlap along any direction: how far b must be moved to part the two.
template <int D>
Real least_overlap(const Body<D>& a, const Body<D>& b, const Frame<D>& fa, const Frame<D>& fb,
                   const V<D>& hint, Random& random, Real first_step = 0.5L) {
  Real best = 1e300L;
  V<D> found{};
  const auto look = [&](const V<D>& n) {
    const Real overlap = reach<D>(a, fa, n) + reach<D>(b, fb, plus<D>(V<D>{}, n, -1));
    if (overlap < best) {
      best = overlap;
      found = n;
    }
  };
  const auto both = [&](const V<D>& n) {
    look(n);
    look(plus<D>(V<D>{}, n, -1));
  };
  look(hint);
  for (const auto* side : {&a, &b})
    for (const auto& [n, offset] : side->planes) {
      V<D> turned{};
      const Frame<D>& f = side == &a ? fa : fb;
      for (int i = 0; i < D; ++i) turned = plus<D>(turned, f.axes[i], n[i]);
      both(turned);
    }
  if constexpr (D == 3) {
    const auto edges = [](const Body<3>& body, const Frame<3>& f) {
      std::vector<V<3>> all;
      for (std::size_t i = 0; i < body.corners.size(); ++i)
        for (std::size_t j = i + 1; j < body.corners.size(); ++j)
          all.push_back(plus<3>(f.placed(body.corners[j]), f.placed(body.corners[i]), -1));
      return all;
    };
    const auto ea = edges(a, fa);
    const auto eb = edges(b, fb);
    for (const V<3>& u : ea)
      for (const V<3>& w : eb) {
        const V<3> n = product(u, w);
        if (length<3>(n) > 1e-9L * length<3>(u) * length<3>(w)) both(unit<3>(n));
      }
  }
  if (a.curved() || b.curved() || best > 1e299L) {
    for (int k = 0; k < 60 && first_step >= 0.5L; ++k) both(from<D>(random.direction<D>()));
    V<D> at = found;
    for (Real step = first_step; step > first_step * 1e-9L; step *= 0.7L)
      for (int k = 0; k < 8; ++k) {
        const V<D> n = unit<D>(plus<D>(at, from<D>(random.direction<D>()), step));
        const Real before = best;
        look(n);
        if (best < before) at = found;
      }
  } else if constexpr (D == 2) {  // two points or parallel segments
    both(unit<2>(plus<2>(plus<2>(fb.at, fa.at, -1), {1e-30L, 0})));
  }
  return best;
}

// The larger one; what is no number is larger than any.
void note(Real& worst, Real value) {
  if (!(value <= worst)) worst = std::isnan(value) ? std::numeric_limits<Real>::infinity() : value;
}

struct Row {
  long pairs = 0, capped = 0, wrong = 0, steps = 0, jumps = 0, casts = 0, rays = 0;
  Real gap = 0;
  Real on_shape = 0;
  Real depth = 0;
  Real manifold = 0;
  Real cast = 0;
  Real ray = 0;

  void add(const Row& o) {
    pairs += o.pairs;
    capped += o.capped;
    wrong += o.wrong;
    steps += o.steps;
    jumps += o.jumps;
    note(gap, o.gap);
    note(on_shape, o.on_shape);
    note(depth, o.depth);
    note(manifold, o.manifold);
    casts += o.casts;
    rays += o.rays;
    note(cast, o.cast);
    note(ray, o.ray);
  }
};

template <int D>
void judge_pair(const Body<D>& a, const Body<D>& b, const Pose<D>& pose_a, const Pose<D>& pose_b,
                Random& random, Row& row) {
  const Pose<D> b_in_a = pose_a.relative(pose_b);
  const contact::Separation<D> s = contact::separation(a.core(), b.core(b_in_a));
  const Frame<D> fa{Pose<D>{}};
  const Frame<D> fb(b_in_a);
  const Real small = std::min(a.size, b.size);
  const Real large = std::max(a.size, b.size);
  const Real unit_of_gap = small + 1e-10L * large;  // errors are reported in this
  const V<D> n = from<D>(s.normal);
  ++row.pairs;
  row.capped += s.capped ? 1 : 0;
  if (!std::isfinite(s.gap) || !s.on_a.allFinite() || !s.on_b.allFinite() ||
      !(std::abs(length<D>(n) - 1) <= 1e-9L)) {
    ++row.wrong;
    return;
  }
  // Apart along the normal by this much: the shapes are at least so far apart, or at most so deep.
  // Of shapes a thousand times as large as their gap a normal off by a rounding error shows: the
  // judge then looks for a better slab itself, but no further than such an error from there.
  const auto slab_across = [&](const V<D>& normal) {
    return -(reach<D>(a, fa, normal) + reach<D>(b, fb, plus<D>(V<D>{}, normal, -1))) - a.radius -
           b.radius;
  };
  const auto slab_along = [&](const V<D>& normal, Real gap) {
    Real best = slab_across(normal);
    V<D> at = normal;
    for (Real step = 1e-6L; step > 1e-12L && best < gap - 1e-6L * small; step *= 0.8L)
      for (int k = 0; k < 12; ++k) {
        const V<D> tried = unit<D>(plus<D>(at, from<D>(random.direction<D>()), step));
        if (const Real slab = slab_across(tried); slab > best) {
          best = slab;
          at = tried;
        }
      }
    return best;
  };
  const Real slab = slab_along(n, s.gap);
  note(row.gap, std::abs(slab - s.gap) / unit_of_gap);
  if (s.gap + a.radius + b.radius > 0) {
    // The two points are on the cores and as far apart as said: they are at most so far apart.
    const V<D> core_a = plus<D>(from<D>(s.on_a), n, -a.radius);
    const V<D> core_b = plus<D>(from<D>(s.on_b), n, b.radius);
    const Real off = std::max(outside<D>(a, fa, core_a), outside<D>(b, fb, core_b));
    const Real apart = length<D>(plus<D>(from<D>(s.on_b), from<D>(s.on_a), -1));
    note(row.on_shape, off / unit_of_gap);
    note(row.on_shape, std::abs(apart - std::abs(Real(s.gap))) / unit_of_gap);
  } else {
    const Real least = least_overlap<D>(a, b, fa, fb, n, random);  // of the cores
    const Real said = -s.gap - a.radius - b.radius;
    const Real all = least + a.radius + b.radius;
    note(row.depth, (said - least - 1e-9L * large) / std::max(all, 1e-3L * small));
    if (!(least >= -1e-6L * small)) ++row.wrong;  // reported to overlap, and they do not
  }
  // From where a search a moment ago ended, the answer is as good.
  contact::Start<D> start;
  const contact::Core<D> core = a.core();
  contact::Separation<D> on;
  for (const double by : {0.1, 0.01, 0.0}) {
    contact::Course<D> course{b_in_a, random.vec<D>(by) * static_cast<double>(small)};
    for (int k = 0; k < kTurnAxes<D>; ++k) course.turn[k] = random.range(-by, by);
    on = contact::separation_within(core, b.core(course.at(1)),
                                    std::numeric_limits<double>::infinity(), &start);
  }
  const Real drift = std::abs(slab_along(from<D>(on.normal), on.gap) - on.gap);
  if (!(drift <= 1e-5L * unit_of_gap) ||
      !(std::abs(Real(on.gap) - s.gap) <=
        1e-5L * unit_of_gap + 0.01L * std::abs(std::min(s.gap, 0.0))))
    ++row.wrong;
  // The other way round it is the same, to what each of the two may be off.
  const contact::Separation<D> back_s =
      contact::separation(b.core(), a.core(b_in_a.relative(Pose<D>{})));
  const Real off = std::abs(Real(back_s.gap) - s.gap);
  if (!(off <= 2e-5L * unit_of_gap + 0.02L * std::abs(std::min(s.gap, 0.0)))) ++row.wrong;

  const double margin = static_cast<double>(0.1L * small);
  const double flat = 0.2 * margin;
  const contact::Manifold<D> m = contact::manifold(a.core(), b.core(b_in_a), margin, flat);
  if ((m.count > 0) != (s.gap <= margin)) ++row.wrong;
  // Its normal is as good as the separation's: as far apart, or hardly deeper, along it.
  if (m.count > 0) {
    const Real along = slab_along(from<D>(m.normal), s.gap);
    if (!(along >= s.gap - 1e-5L * unit_of_gap - 0.01L * std::abs(std::min(s.gap, 0.0))))
      ++row.wrong;
  }
  for (int k = 0; k < m.count; ++k) {
    const contact::ContactPoint<D>& p = m.points[static_cast<std::size_t>(k)];
    const Real most = margin + 0.01L * std::abs(p.gap);  // the depth may be off by that
    // Halfway between the surfaces: half the gap along the normal leads to either.
    const V<D> on_a = plus<D>(from<D>(p.position), n, -Real(p.gap) / 2 - a.radius);
    const V<D> on_b = plus<D>(from<D>(p.position), n, Real(p.gap) / 2 + b.radius);
    if (!p.position.allFinite() || !std::isfinite(p.gap)) ++row.wrong;
    note(row.manifold, outside<D>(a, fa, on_a) / most);
    note(row.manifold, outside<D>(b, fb, on_b) / most);
    for (int l = 0; l < k; ++l)
      if (m.points[static_cast<std::size_t>(l)].id == p.id) ++row.wrong;
  }
}

// Where two touch, a slide by a millionth of their size turns the normal by little; a corner may
// pass over an edge now and then.
template <int D>
void judge_path(const Body<D>& a, const Body<D>& b, Pose<D> b_in_a, Random& random, Row& row) {
  const double small = static_cast<double>(std::min(a.size, b.size));
  const double margin = 0.1 * small;
  const contact::Separation<D> s = contact::separation(a.core(), b.core(b_in_a));
  b_in_a.position -= s.normal * (s.gap - 0.01 * margin);
  const Vec<D> slide = random.direction<D>() * 1e-6 * small;
  contact::Manifold<D> before;
  for (int k = 0; k < 4; ++k, b_in_a.position += slide) {
    const contact::Manifold<D> m =
        contact::manifold(a.core(), b.core(b_in_a), margin, 0.2 * margin);
    if (k > 0 && m.count > 0 && before.count > 0) {
      ++row.steps;
      row.jumps += (m.normal - before.normal).norm() > 1e-3 ? 1 : 0;
    }
    before = m;
  }
}

// A cast, held against the gaps judged above at places on its way: none of them is an overlap, and
// where it ends the two touch.
template <int D>
void judge_cast(const Body<D>& a, const Body<D>& b, Random& random, Row& row) {
  const double reach = static_cast<double>(a.size + b.size);
  contact::Course<D> course{
      {random.direction<D>() * random.range(0, 2) * reach, random.rotation<D>()}};
  course.move = random.vec<D>(0.5) * reach - course.start.position * random.range(0.5, 1.5);
  if (random.coin())
    for (int k = 0; k < kTurnAxes<D>; ++k) course.turn[k] = random.range(-3, 3);
  const Real way = course.move.norm() + course.turn.norm() * static_cast<double>(b.size);
  const auto gap_at = [&](double t) -> Real {
    return contact::separation(a.shape, b.shape, course.at(t)).gap;
  };
  const auto hit = contact::first_touch(a.shape, b.shape, course);
  ++row.casts;
  if (hit && hit->inside) {
    if (gap_at(0) > 0) ++row.wrong;
    return;
  }
  const double end = hit ? hit->t : 1;
  if (!std::isfinite(end) ||
      (hit && !(hit->point.allFinite() && std::abs(hit->normal.norm() - 1) <= 1e-9)))
    ++row.wrong;
  for (int k = 0; k < 20; ++k) note(row.cast, -gap_at(end * k / 20) / way);
  if (hit) note(row.cast, std::abs(gap_at(hit->t)) / way);
}

// A ray at a flat-sided body, held against all its planes (Cyrus and Beck, "Generalized two- and
// three-dimensional clipping", 1978).
template <int D>
void judge_ray(const Body<D>& a, Random& random, Row& row) {
  if (a.planes.empty() || a.radius > 0) return;
  const double size = static_cast<double>(a.size);
  const Vec<D> start = random.direction<D>() * random.range(1.1, 3) * size;
  const Vec<D> move = random.vec<D>(0.7) * size - start * random.range(0.5, 1.5);
  Real in = 0;
  Real out = 0;
  V<D> side{};
  const auto clip = [&](Real grown) {
    in = 0;
    out = 1;
    for (const auto& [normal, offset] : a.planes) {
      const Real height = dot<D>(normal, from<D>(start)) - offset - grown;
      const Real closing = -dot<D>(normal, from<D>(move));
      if (closing > 0 && height / closing > in) {
        in = height / closing;
        side = normal;
      }
      if (closing < 0) out = std::min(out, height / closing);
      if (closing == 0 && height > 0) out = -1;
    }
    return in < out;
  };
  const Real reported = 2e-7L * move.norm();  // nearer than this a line may count as touching
  if (clip(reported) != clip(-reported)) return;
  clip(0);
  const auto hit =
      contact::first_touch(a.shape, Shape<D>{}, contact::Course<D>{{start, {}}, move, kZero});
  ++row.rays;
  if ((out > in) != hit.has_value()) ++row.wrong;
  if (!hit || out < in) return;
  if (in == 0 || hit->inside) {  // from inside
    if (in > 0 || !hit->inside) ++row.wrong;
    return;
  }
  note(row.ray, std::abs(hit->t - in));
  if (!(dot<D>(side, from<D>(hit->normal)) >= 0.9999L)) {
    // By an edge two sides are met within rounding of each other.
    Real other = 0;
    for (const auto& [normal, offset] : a.planes)
      if (dot<D>(normal, from<D>(hit->normal)) > 0.9999L)
        other = (dot<D>(normal, from<D>(start)) - offset) / -dot<D>(normal, from<D>(move));
    if (std::abs(other - in) > 1e-6L) ++row.wrong;
  }
}

template <int D>
bool judge_all(int pairs, std::string_view only) {
  bool good = true;
  Row all;
  const std::size_t kinds = D == 2 ? kNames2.size() : kNames3.size();
  const auto name = [](std::size_t k) { return D == 2 ? kNames2[k] : kNames3[k]; };
  const auto tell_all = [&](const Row& row, const std::string& two) {
    const auto record = [&](std::string_view what, Real worst, Real limit) {
      const bool ok = worst <= limit && row.wrong == 0;
      good = good && ok;
      nlohmann::ordered_json line;
      line["what"] = two.empty() ? "all " + std::string(what) + "s" : std::string(what) + two;
      line["dimension"] = D;
      line["pairs"] = row.pairs;
      line["worst"] = static_cast<double>(worst);
      line["limit"] = static_cast<double>(limit);
      line["capped"] = row.capped;
      line["wrong"] = row.wrong;
      line["ok"] = ok;
      std::cout << line.dump() << "\n";
    };
    Real gap = row.gap;
    note(gap, row.on_shape);
    record("gap", gap, 1e-5L);
    record("depth", row.depth, 0.01L);
    record("manifold", row.manifold, 1);
    if (row.casts > 0) record("cast", row.cast, 1e-4L);
    if (row.rays > 0) record("ray", row.ray, 1e-4L);
    record("turn", row.steps > 0 ? Real(row.jumps) / row.steps : 0, 0.02L);
  };
  for (std::size_t ka = 0; ka < kinds; ++ka)
    for (std::size_t kb = ka; kb < kinds; ++kb) {
      const std::string two = std::string(name(ka)) + " and " + std::string(name(kb));
      if (!only.empty() && two != only) continue;
      Row row;
      for (int i = 0; i < pairs; ++i) {
        Random random(static_cast<std::uint64_t>(i) * 1000 + ka * 30 + kb + 7 * D);
        const double ratio = random.coin(0.1) ? std::pow(10.0, random.range(-3.5, 3.5)) : 1;
        const Body<D> a = random_body<D>(ka, random, 1);
        const Body<D> b = random_body<D>(kb, random, ratio);
        // Apart, near, overlapping, concentric; at right angles now and then; sometimes far from
        // the origin.
        Pose<D> pose_a{random.coin(0.1) ? random.vec<D>(1e6) : random.vec<D>(1),
                       random.rotation<D>()};
        const Rotation<D> turn = random.coin(0.2) ? pose_a.rotation : random.rotation<D>();
        Pose<D> pose_b{pose_a.position, turn};
        const double reach = static_cast<double>(a.size + b.size);
        if (!random.coin(0.02))
          pose_b.position += random.direction<D>() * random.range(0, 0.9) * reach;
        if (random.coin(0.4)) {  // slid along the normal until they touch, nearly or just
          const contact::Separation<D> s =
              contact::separation(a.core(), b.core(pose_a.relative(pose_b)));
          const double off = random.coin() ? 0
                                           : random.range(-1e-3, 1e-3) *
                                                 static_cast<double>(std::min(a.size, b.size));
          pose_b.position -= pose_a.rotation * Vec<D>(s.normal * (s.gap + off));
        }
        judge_pair(a, b, pose_a, pose_b, random, row);
        if (i % 10 == 0) judge_path(a, b, pose_a.relative(pose_b), random, row);
        if (i % 20 == 0 && b.flat.empty()) {
          judge_cast(a, b, random, row);
          judge_ray(a, random, row);
        }
      }
      all.add(row);
      tell_all(row, ": " + two);
    }
  tell_all(all, "");
  return good;
}

}  // namespace

int main(int argc, char** argv) {
  bool full = false;
  std::string_view only;
  for (int i = 1; i < argc; ++i) {
    if (std::string_view(argv[i]) == "--full") full = true;
    else if (std::string_view(argv[i]) == "--only" && i + 1 < argc) only = argv[++i];
    else
      return std::fprintf(stderr,
                          "colvik_judge: unknown option %s; --full or --only 'KIND and KIND'\n",
                          argv[i]),
             2;
  }
  const int pairs = full ? 100000 : 1000;
  const bool two = judge_all<2>(pairs, only);
  const bool three = judge_all<3>(pairs, only);
  return two && three ? 0 : 1;
}
