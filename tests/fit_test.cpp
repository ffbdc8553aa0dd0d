// Colliders fitted to art, judged by other means: Boost.Geometry's areas, dense searches, sampling.
#include <colvik/fit.hpp>

#pragma GCC diagnostic push
#ifndef __clang__
#pragma GCC diagnostic ignored "-Wmaybe-uninitialized"
#endif
#include <boost/geometry/algorithms/area.hpp>
#include <boost/geometry/algorithms/convex_hull.hpp>
#include <boost/geometry/geometries/multi_point.hpp>
#include <boost/geometry/geometries/point_xy.hpp>
#include <boost/geometry/geometries/polygon.hpp>
#include <boost/geometry/strategies/strategies.hpp>
#pragma GCC diagnostic pop

#include <algorithm>

#include "random.hpp"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

constexpr double kNoNumber = std::numeric_limits<double>::quiet_NaN();
using Loop = std::vector<Vec<2>>;

// The convex hull of points by Boost.Geometry, and its area.
std::pair<Loop, double> hull_of(const Loop& points) {
  namespace bg = boost::geometry;
  using Point = bg::model::d2::point_xy<double>;
  bg::model::multi_point<Point> cloud;
  for (const Vec<2>& p : points) cloud.push_back(Point(p.x(), p.y()));
  bg::model::polygon<Point> hull;
  bg::convex_hull(cloud, hull);
  Loop loop;
  for (const Point& p : hull.outer()) loop.emplace_back(p.x(), p.y());
  return {loop, static_cast<double>(bg::area(hull))};
}

bool in_loop(const Loop& loop, const Vec<2>& p) {
  bool in = false;
  for (std::size_t i = 0, k = loop.size() - 1; i < loop.size(); k = i++)
    if ((loop[i].y() > p.y()) != (loop[k].y() > p.y()) &&
        p.x() < loop[i].x() + (p.y() - loop[i].y()) * (loop[k].x() - loop[i].x()) /
                                  (loop[k].y() - loop[i].y()))
      in = !in;
  return in;
}
double to_loop(const Loop& loop, const Vec<2>& p) {
  double least = 1e300;
  for (std::size_t i = 0, k = loop.size() - 1; i < loop.size(); k = i++) {
    const Vec<2> along = loop[i] - loop[k];
    const double square = along.squaredNorm();
    const double t = square > 0 ? std::clamp((p - loop[k]).dot(along) / square, 0.0, 1.0) : 0.0;
    least = std::min(least, (loop[k] + t * along - p).norm());
  }
  return least;
}

// The judge's own picture of art (what an odd number of loops goes around) and of a collider (what
// any loop does).
struct Area {
  std::vector<Loop> loops;
  bool odd = false;
  [[nodiscard]] bool has(const Vec<2>& p) const {
    int count = 0;
    for (const Loop& loop : loops) count += in_loop(loop, p) ? 1 : 0;
    return odd ? count % 2 == 1 : count > 0;
  }
  [[nodiscard]] Bounds<2> box() const {
    Bounds<2> b;
    for (const Loop& loop : loops)
      for (const Vec<2>& p : loop) b = b.merged(p);
    return b;
  }
};
Area area_of_art(const Art<2>& art) { return {art.loops, true}; }

// Round ends as many short chords.
Loop grown(const Loop& convex, double radius) {
  if (radius <= 0) return convex;
  Loop out;
  for (const Vec<2>& p : convex)
    for (int i = 0; i < 720; ++i) out.push_back(p + radius * Rotation<2>(kPi * i / 360).axis(0));
  return hull_of(out).first;
}
Loop core(const Shape<2>& s) {
  if (s.kind == ShapeKind::ball) return {Vec<2>(0.0, 0.0)};
  if (s.kind == ShapeKind::capsule) return {Vec<2>(0, s.core.y()), Vec<2>(0, -s.core.y())};
  Shape<2> sharp = s;
  sharp.radius = 0;
  return outlines(sharp).front();
}
Area area_of_collider(const Placed<2>& c) {
  Area out;
  const auto add = [&](const Loop& loop, double radius, const Pose<2>& at) {
    Loop placed;
    for (const Vec<2>& p : loop) placed.push_back(at * p);
    out.loops.push_back(grown(placed, radius));
  };
  const Pose<2> own{c.at, c.turned};
  if (is_convex(c.shape)) add(core(c.shape), c.shape.radius, own);
  else if (c.shape.kind == ShapeKind::compound)
    for (const Placed<2>& child : convex_children(c.shape))
      add(core(child.shape), child.shape.radius, own * Pose<2>{child.at, child.turned});
  else
    for (const Loop& loop : fills(c.shape)) add(loop, 0, own);
  return out;
}
double outside_of(const Area& area, const Vec<2>& p) {
  if (area.has(p)) return 0;
  double least = 1e300;
  for (const Loop& loop : area.loops) least = std::min(least, to_loop(loop, p));
  return least;
}
std::vector<Vec<2>> boundary(const Area& area) {
  std::vector<Vec<2>> out;
  double around = 0;
  const auto sides = [&](auto&& visit) {
    for (const Loop& loop : area.loops)
      for (std::size_t i = 0; i < loop.size(); ++i) visit(loop[i], loop[(i + 1) % loop.size()]);
  };
  sides([&](const Vec<2>& a, const Vec<2>& b) { around += (b - a).norm(); });
  sides([&](const Vec<2>& a, const Vec<2>& b) {
    const int parts = 1 + static_cast<int>((b - a).norm() / around * 600);
    for (int k = 0; k < parts; ++k) out.emplace_back(a + k * (b - a) / parts);
  });
  return out;
}
// Visits points of a grid over bounds.
template <class Visit>
void on_grid(const Bounds<2>& box, int along, Visit&& visit) {
  for (int y = 0; y < along; ++y)
    for (int x = 0; x < along; ++x)
      visit(Vec<2>(box.lo + Vec<2>((x + 0.5) / along, (y + 0.5) / along).cwiseProduct(box.size())));
}
// Of all points of an area, inside too.
double furthest(const Area& from, const Area& to) {
  double most = 0;
  for (const Vec<2>& p : boundary(from)) most = std::max(most, outside_of(to, p));
  on_grid(from.box(), 60, [&](const Vec<2>& p) {
    if (from.has(p)) most = std::max(most, outside_of(to, p));
  });
  return most;
}

// A star with random reaches, perhaps with a hole: concave, never crossing itself.
Art<2> star(Random& random, bool hole) {
  const int n = 5 + random.below(20);
  const double size = std::exp2(random.range(-3, 6));
  const Vec<2> at = random.vec<2>(20);
  Art<2> art;
  art.loops.emplace_back();
  for (int i = 0; i < n; ++i) {  // one after the other, the same with every compiler
    const double reach = size * random.range(0.5, 1);
    const double turn = 2 * kPi * (i + random.range(0, 0.6)) / n;
    art.loops[0].push_back(at + reach * Rotation<2>(turn).axis(0));
  }
  if (hole) {
    art.loops.emplace_back();
    for (int i = 0; i < 6; ++i)
      art.loops[1].push_back(at + size * random.range(0.1, 0.25) *
                                      Rotation<2>(-2 * kPi * i / 6).axis(0));
  }
  return art;
}

Pixels picture(int width, int height, const std::function<bool(int, int)>& in) {
  Pixels p{width, height, {}};
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x)
      for (const int c : {40, 80, 120, in(x, y) ? 255 : 0})
        p.bytes.push_back(static_cast<std::uint8_t>(c));
  return p;
}

// A closed box with a box-shaped notch in its top: concave, its volume known.
Art<3> notched(const Vec<3>& size, double notch) {
  const double w = size.x() / 2;
  const double h = size.y();
  const Loop outline{{-w, 0.0},           {w, 0.0},    {w, h}, {w / 2, h}, {w / 2, h - notch},
                     {-w / 2, h - notch}, {-w / 2, h}, {-w, h}};
  const std::vector<std::array<std::uint32_t, 3>> ears{{0, 5, 7}, {7, 5, 6}, {0, 1, 4},
                                                       {0, 4, 5}, {1, 2, 4}, {2, 3, 4}};
  Art<3> art;
  for (const double z : {-size.z() / 2, size.z() / 2})
    for (const Vec<2>& p : outline) art.points.emplace_back(p.x(), p.y(), z);
  for (const auto& [a, b, c] : ears) {
    art.triangles.push_back({a, c, b});
    art.triangles.push_back({a + 8, b + 8, c + 8});
  }
  for (std::uint32_t i = 0; i < 8; ++i) {
    const std::uint32_t k = (i + 1) % 8;
    art.triangles.push_back({i, k, k + 8});
    art.triangles.push_back({i, k + 8, i + 8});
  }
  return art;
}
Art<3> moved(Art<3> art, const Pose<3>& pose, double scale) {
  for (Vec<3>& p : art.points) p = pose * Vec<3>(scale * p);
  return art;
}
Shape<3> point3() { return Shape<3>{}; }
double outside_of(const Placed<3>& c, const Vec<3>& p) {
  return gap_between(point3(), {p, {}}, c.shape, Pose<3>{c.at, c.turned}, 1e9);
}

}  // namespace

TEST_CASE("2D fits: figures agree with exact areas, and distances with a judge's own") {
  Random random(301);
  for (int i = 0; i < 6; ++i) {
    CAPTURE(i);
    const Art<2> art = star(random, i % 3 == 0);
    const Area exact = area_of_art(art);
    const double size = bounds_of(art).size().maxCoeff();
    FitOptions<2> options{.parts = 64};
    options.cell = Vec<2>::Constant(size / 9);
    const Offers<2> all = fit_all(art, options);
    REQUIRE(all.offers.size() + all.refused.size() == fits<2>().size());
    CHECK(all.offers.size() >= 8);
    for (const Offer<2>& offer : all.offers) {
      CAPTURE(fit_name<2>(offer.as));
      const Area collider = area_of_collider(offer.collider);
      double in_art = 0;
      double in_collider = 0;
      double in_both = 0;
      on_grid(exact.box().merged(collider.box()), 300, [&](const Vec<2>& p) {
        const bool a = exact.has(p);
        const bool c = collider.has(p);
        in_art += a ? 1 : 0;
        in_collider += c ? 1 : 0;
        in_both += a && c ? 1 : 0;
      });
      const Fitness<2>& f = offer.fitness;
      CHECK(std::abs(f.overlap - in_both / (in_art + in_collider - in_both)) < 0.006);
      CHECK(std::abs(f.covered - in_both / in_art) < 0.006);
      CHECK(std::abs(f.spilled - (in_collider - in_both) / in_art) < 0.012);
      CHECK(std::abs(f.outward - furthest(collider, exact)) < 0.01 * size);
      CHECK(std::abs(f.inward - furthest(exact, collider)) < 0.01 * size);
    }
  }
}

TEST_CASE("2D fits: those around the art hold it, and no dense search finds a smaller one") {
  Random random(302);
  for (int i = 0; i < 6; ++i) {
    CAPTURE(i);
    const Art<2> art = star(random, false);
    const Loop& points = art.loops[0];
    const double size = bounds_of(art).size().maxCoeff();
    for (const Fit as : {Fit::ball, Fit::box, Fit::turned_box, Fit::capsule, Fit::polygon}) {
      CAPTURE(fit_name<2>(as));
      const Offer<2> offer = fit(art, as).value();
      const Area collider = area_of_collider(offer.collider);
      for (const Vec<2>& p : points) CHECK(outside_of(collider, p) < 3e-5 * size);
      CHECK(offer.fitness.inward < 1e-9 * size);
      CHECK(offer.fitness.covered > 1 - 1e-6);
    }
    // Every circle through two or three points that holds all.
    double least = 1e300;
    const auto try_circle = [&](const Vec<2>& c, double r) {
      if (std::all_of(points.begin(), points.end(),
                      [&](const Vec<2>& p) { return (p - c).norm() <= r * (1 + 1e-9); }))
        least = std::min(least, r);
    };
    for (std::size_t a = 0; a < points.size(); ++a)
      for (std::size_t b = a + 1; b < points.size(); ++b) {
        try_circle(0.5 * (points[a] + points[b]), 0.5 * (points[a] - points[b]).norm());
        for (std::size_t c = b + 1; c < points.size(); ++c) {
          const Vec<2> u = points[b] - points[a];
          const Vec<2> w = points[c] - points[a];
          const double d = 2 * (u.x() * w.y() - u.y() * w.x());
          if (std::abs(d) < 1e-12 * size * size) continue;
          const Vec<2> off(w.y() * u.squaredNorm() - u.y() * w.squaredNorm(),
                           u.x() * w.squaredNorm() - w.x() * u.squaredNorm());
          try_circle(points[a] + off / d, (off / d).norm());
        }
      }
    CHECK(fit(art, Fit::ball).value().collider.shape.radius ==
          doctest::Approx(least).epsilon(1e-8));
    double box = 1e300;
    double pill = 1e300;
    for (int k = 0; k < 1800; ++k) {
      const Rotation<2> r(kPi * k / 1800);
      Bounds<2> b;
      for (const Vec<2>& p : points) b = b.merged(Vec<2>(r.inverse() * p));
      box = std::min(box, b.size().prod());
      if (k % 20 != 0) continue;
      for (double radius = b.size().y() / 2; radius < size; radius += size / 200) {
        double from = 1e300;
        double to = -1e300;
        for (const Vec<2>& p : points) {
          const Vec<2> q = r.inverse() * p;
          const double off = q.y() - b.centre().y();
          const double half = std::sqrt(std::max(0.0, radius * radius - off * off));
          from = std::min(from, q.x() + half);
          to = std::max(to, q.x() - half);
        }
        pill = std::min(pill, kPi * radius * radius + 2 * radius * std::max(0.0, to - from));
      }
    }
    const Vec<2> half = fit(art, Fit::turned_box).value().collider.shape.core;
    CHECK(4 * half.prod() <= box * (1.0021));
    const Shape<2> capsule = fit(art, Fit::capsule).value().collider.shape;
    CHECK(mass_properties(capsule).volume <= pill * 1.01);
    // A polygon of as many corners as the hull is the hull.
    const Offer<2> whole = fit(art, Fit::polygon, FitOptions<2>{.corners = 64}).value();
    CHECK(mass_properties(whole.collider.shape).volume ==
          doctest::Approx(hull_of(points).second).epsilon(1e-9));
    for (const int corners : {4, 5, 8}) {
      const auto few = fit(art, Fit::polygon, FitOptions<2>{.corners = corners});
      if (few) CHECK(few.value().loops[0].size() <= static_cast<std::size_t>(corners));
    }
  }
}

TEST_CASE("2D fits: outline and parts stay within the tolerance, holes kept") {
  Random random(303);
  for (int i = 0; i < 8; ++i) {
    CAPTURE(i);
    const Art<2> art = star(random, i % 2 == 0);
    const Area exact = area_of_art(art);
    const double size = bounds_of(art).size().maxCoeff();
    for (const double part : {0.01, 0.04})
      for (const Fit as : {Fit::outline, Fit::parts}) {
        CAPTURE(fit_name<2>(as));
        const double tolerance = part * size;
        const auto found = fit(art, as, FitOptions<2>{.tolerance = tolerance, .parts = 64});
        REQUIRE(found.ok());
        const Area collider = area_of_collider(found.value().collider);
        CHECK(furthest(exact, collider) <= tolerance * 1.01);
        CHECK(furthest(collider, exact) <= tolerance * 1.05);
      }
    if (i % 2 != 0) continue;  // with a hole it takes several
    const auto few = fit(art, Fit::parts, FitOptions<2>{.tolerance = 1e-3 * size, .parts = 1});
    REQUIRE_FALSE(few.ok());
    CHECK(few.error().message().find("convex parts") != std::string::npos);
  }
}

TEST_CASE("pictures: outlines lie within half a pixel, with all islands and holes") {
  Random random(304);
  for (int i = 0; i < 20; ++i) {
    CAPTURE(i);
    const int w = 20 + random.below(60);
    const int h = 20 + random.below(60);
    // Discs joined and cut out.
    std::vector<std::array<double, 4>> discs;
    for (int k = 0; k < 6; ++k)
      discs.push_back(
          {random.range(0, w), random.range(0, h), random.range(3, 14), k % 3 == 2 ? 0.0 : 1.0});
    const auto in = [&](int x, int y) {
      bool set = false;
      for (const auto& [cx, cy, r, adds] : discs)
        if ((x - cx) * (x - cx) + (y - cy) * (y - cy) < r * r) set = adds > 0;
      return set;
    };
    const Pixels pixels = picture(w, h, in);
    const auto found = traced(pixels, {.pixel = 0.5, .least_island = 1});
    REQUIRE(found.ok());
    const Area area = area_of_art(found.value());
    double count = 0;
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) {
        const Vec<2> middle(0.5 * (x + 0.5 - 0.5 * w), 0.5 * (0.5 * h - y - 0.5));
        count += in(x, y) ? 0.25 : 0;
        const double out = outside_of(area, middle);
        if (in(x, y)) CHECK(out < 0.02);
        else CHECK_FALSE(area.has(middle));
      }
    CHECK(mass_of(found.value()).volume == doctest::Approx(count).epsilon(0.03));
  }
  // Exact for what is made of sides of two pixels and more.
  const auto box = traced(picture(30, 20, [](int x, int y) { return x >= 4 && x < 24 && y > 5; }));
  CHECK(bounds_of(box.value()).lo == Vec<2>(-11, -10));
  CHECK(bounds_of(box.value()).hi == Vec<2>(9, 4));
  CHECK(box.value().loops[0].size() == 4);
  const auto upside = traced(picture(30, 20, [](int, int y) { return y > 5; }), {.y_down = true});
  CHECK(bounds_of(upside.value()).lo.y() == -4);
  // A disc is a circle of its size, up to half a pixel.
  const auto disc = traced(picture(
      101, 101, [](int x, int y) { return (x - 50) * (x - 50) + (y - 50) * (y - 50) < 1600; }));
  const Offer<2> round = fit(disc.value(), Fit::ball).value();
  CHECK(2 * round.collider.shape.radius == doctest::Approx(80).epsilon(0.01));
  CHECK(round.fitness.bump == 0);
  CHECK(fit(disc.value(), Fit::box).value().fitness.bump > 10);
}

TEST_CASE("3D fits: those around the art hold it, and no search finds a much smaller one") {
  Random random(305);
  for (int i = 0; i < 6; ++i) {
    CAPTURE(i);
    const Rotation<3> turned(random.direction<3>(), random.range(0, 3));
    const Vec<3> size(random.range(0.5, 3), random.range(0.5, 3), random.range(0.5, 3));
    const Art<3> art = moved(notched(size, 0.4 * size.y()), {random.vec<3>(5), turned},
                             std::exp2(random.range(-2, 3)));
    for (const Fit as : {Fit::ball, Fit::box, Fit::turned_box, Fit::capsule, Fit::cylinder,
                         Fit::cone, Fit::slabs, Fit::hull}) {
      CAPTURE(fit_name<3>(as));
      const Offer<3> offer = fit(art, as).value();
      const double large = bounds_of(art).size().maxCoeff();
      for (const Vec<3>& p : art.points) CHECK(outside_of(offer.collider, p) < 1e-6 * large);
      // The art's own volume is known: shares follow from the collider's.
      const double volume = mass_of(art).volume;
      const double own = mass_properties(offer.collider.shape).volume;
      CHECK(offer.fitness.overlap == doctest::Approx(volume / own).epsilon(0.02));
      CHECK(offer.fitness.covered > 0.995);
      CHECK(offer.fitness.mass == doctest::Approx(own / volume).epsilon(1e-6));
    }
    // The box it was made from; the slab directions of random others.
    const double box = mass_properties(fit(art, Fit::turned_box).value().collider.shape).volume;
    CHECK(box == doctest::Approx(mass_of(art).volume / 0.8).epsilon(1e-3));
    double ball = 1e300;
    double drum = 1e300;
    const std::vector<Vec<3>>& points = art.points;
    for (int k = 0; k < 3000; ++k) {
      const Vec<3> axis = random.direction<3>();
      const Vec<3> at = bounds_of(art).centre() +
                        0.1 * bounds_of(art).size().norm() * random.unit() * random.direction<3>();
      double far = 0;
      double r = 0;
      double lo = 1e300;
      double hi = -1e300;
      for (const Vec<3>& p : points) {
        const Vec<3> d = p - at;
        const double along = d.dot(axis);
        far = std::max(far, d.norm());
        r = std::max(r, std::sqrt(std::max(0.0, d.squaredNorm() - along * along)));
        lo = std::min(lo, along);
        hi = std::max(hi, along);
      }
      ball = std::min(ball, far);
      drum = std::min(drum, kPi * r * r * (hi - lo));
    }
    CHECK(fit(art, Fit::ball).value().collider.shape.radius <= ball * (1 + 1e-9));
    CHECK(mass_properties(fit(art, Fit::cylinder).value().collider.shape).volume <= drum * 1.01);
    const double pill = mass_properties(fit(art, Fit::capsule).value().collider.shape).volume;
    const double sphere = mass_properties(fit(art, Fit::ball).value().collider.shape).volume;
    CHECK(pill <= sphere * 1.0001);
  }
}

TEST_CASE("3D fits: convex parts hold a concave model within the tolerance") {
  Random random(306);
  for (int i = 0; i < 6; ++i) {
    CAPTURE(i);
    const Vec<3> size(random.range(1, 3), random.range(1, 3), random.range(0.5, 3));
    const double notch = random.range(0.3, 0.7) * size.y();
    const Pose<3> pose{random.vec<3>(3),
                       i % 2 == 0 ? Rotation<3>() : Rotation<3>(random.direction<3>(), 1)};
    const Art<3> art = moved(notched(size, notch), pose, 1);
    const double tolerance = 0.04 * size.maxCoeff();
    const auto found = fit(art, Fit::parts, FitOptions<3>{.tolerance = tolerance, .parts = 64});
    REQUIRE_MESSAGE(found.ok(), (found.ok() ? "" : found.error().message()));
    const Offer<3>& offer = found.value();
    if (i % 2 == 0) CHECK(offer.fitness.pieces <= 4);
    for (int k = 0; k < 2000; ++k) {
      // Of the model itself, in its own frame: in its box and not in the notch.
      const Vec<3> p(random.range(-0.5, 0.5) * size.x(), random.unit() * size.y(),
                     random.range(-0.5, 0.5) * size.z());
      const bool in_notch = p.y() > size.y() - notch && std::abs(p.x()) < size.x() / 4;
      const double out = outside_of(offer.collider, pose * p);
      if (!in_notch) CHECK(out <= tolerance);
      // What is deep inside the notch is in no part.
      const double deep = std::min(size.x() / 4 - std::abs(p.x()), p.y() - size.y() + notch);
      if (in_notch && deep > 1.1 * tolerance) CHECK(out > 0);
    }
    const auto one = fit(art, Fit::parts, FitOptions<3>{.tolerance = 1e-3, .parts = 1});
    REQUIRE_FALSE(one.ok());
    CHECK(one.error().message().find("more parts, or a larger tolerance") != std::string::npos);
  }
  Art<3> open = notched({1, 1, 1}, 0.3);
  open.triangles.pop_back();
  const Art<3> checked = checked_art(open).value();
  REQUIRE(checked.notes.size() == 1);
  CHECK(checked.notes[0].find("open at 3 edges") != std::string::npos);
  CHECK(fit(checked, Fit::parts).error().message().find("open at 3 edges") != std::string::npos);
  CHECK_FALSE(fit(checked, Fit::box).value().fitness.has_volume);
}

TEST_CASE("3D fits: meshes, lighter ones within the tolerance") {
  // A bumpy ground of many triangles, nearly flat: few are needed.
  Art<3> ground;
  const int n = 40;
  for (int z = 0; z <= n; ++z)
    for (int x = 0; x <= n; ++x)
      ground.points.emplace_back(x, 0.02 * std::sin(0.7 * x) * std::sin(0.9 * z), z);
  for (std::uint32_t z = 0; z < n; ++z)
    for (std::uint32_t x = 0; x < n; ++x) {
      const std::uint32_t a = z * (n + 1) + x;
      ground.triangles.push_back({a, a + n + 1, a + 1});
      ground.triangles.push_back({a + 1, a + n + 1, a + n + 2});
    }
  const Offer<3> whole = fit(ground, Fit::mesh).value();
  CHECK(whole.fitness.pieces == 2 * n * n);
  const Offer<3> light = fit(ground, Fit::light_mesh, FitOptions<3>{.tolerance = 0.2}).value();
  CHECK(light.fitness.pieces < n * n);
  CHECK(light.fitness.outward <= 0.2);
  CHECK(light.fitness.inward <= 0.2);
  CHECK_FALSE(fit(ground, Fit::mesh, FitOptions<3>{.margin = 0.1}).ok());
}

TEST_CASE("fits do not depend on where the art is, how it is turned or how large it is") {
  Random random(307);
  for (int i = 0; i < 6; ++i) {
    const Art<2> art = star(random, true);
    const Vec<2> by = random.vec<2>(1000);
    const double scale = std::exp2(random.below(9) - 4);
    Art<2> other = art;
    for (Loop& loop : other.loops)
      for (Vec<2>& p : loop) p = Rotation<2>(1.0) * Vec<2>(scale * p) + by;
    Art<2> flipped = art;
    for (Loop& loop : flipped.loops) {
      for (Vec<2>& p : loop) p.x() = -p.x();
      std::reverse(loop.begin(), loop.end());
    }
    for (const Fit as : fits<2>()) {
      if (as == Fit::tiles || as == Fit::box) continue;
      CAPTURE(fit_name<2>(as));
      const FitOptions<2> options{.parts = as == Fit::simple ? 5 : 64};
      const auto first = fit(art, as, options);
      const auto again = fit(art, as, options);
      REQUIRE(first.ok());
      CHECK(spelled(first.value()) == spelled(again.value()));
      for (const Art<2>* o : {&other, &flipped}) {
        const auto second = fit(*o, as, options);
        REQUIRE(second.ok());
        // Ties between cuts may fall otherwise; no fit is much worse for it.
        CHECK(
            second.value().fitness.overlap ==
            doctest::Approx(first.value().fitness.overlap).epsilon(as == Fit::simple ? 0.1 : 0.02));
      }
    }
  }
}

TEST_CASE("fits: shrink and margin keep inside, and too much of them is refused") {
  Random random(308);
  for (int i = 0; i < 3; ++i) {
    const Art<2> art = star(random, false);
    const double size = bounds_of(art).size().maxCoeff();
    for (const Fit as : fits<2>()) {
      if (as == Fit::tiles) continue;
      CAPTURE(fit_name<2>(as));
      const FitOptions<2> plain{.tolerance = 0.005 * size, .parts = as == Fit::simple ? 8 : 64};
      FitOptions<2> small = plain;
      small.margin = 0.03 * size;
      const Offer<2> whole = fit(art, as, plain).value();
      const auto inside = fit(art, as, small);
      REQUIRE(inside.ok());
      // Every point of the smaller one is the margin inside the whole one, up to the grid it is cut
      // on.
      const Area collider = area_of_collider(whole.collider);
      const bool exact = as == Fit::ball || as == Fit::box || as == Fit::turned_box ||
                         as == Fit::capsule || as == Fit::polygon || as == Fit::rounded;
      for (const Vec<2>& p : boundary(area_of_collider(inside.value().collider))) {
        CHECK(outside_of(collider, p) < 0.015 * size);
        double to_edge = 1e300;
        for (const Loop& loop : collider.loops) to_edge = std::min(to_edge, to_loop(loop, p));
        if (exact) CHECK(to_edge > small.margin - 1e-4 * size);
      }
      FitOptions<2> less = plain;
      less.shrink = 0.2;
      const Offer<2> shrunk = fit(art, as, less).value();
      if (exact)
        CHECK(mass_properties(shrunk.collider.shape).volume ==
              doctest::Approx(0.64 * mass_properties(whole.collider.shape).volume));
      FitOptions<2> much = plain;
      much.margin = 2 * size;
      const auto none = fit(art, as, much);
      REQUIRE_FALSE(none.ok());
      CHECK(none.error().message().find("leave nothing") != std::string::npos);
    }
  }
  const Art<3> art = notched({2, 1, 1}, 0.3);
  for (const Fit as : fits<3>()) {
    CAPTURE(fit_name<3>(as));
    const Offer<3> whole = fit(art, as).value();
    const Offer<3> shrunk = fit(art, as, FitOptions<3>{.shrink = 0.5}).value();
    if (!is_scenery(whole.collider.shape.kind))
      CHECK(mass_properties(shrunk.collider.shape).volume ==
            doctest::Approx(mass_properties(whole.collider.shape).volume / 8).epsilon(1e-6));
    const auto inside = fit(art, as, FitOptions<3>{.margin = 0.05});
    if (as == Fit::mesh || as == Fit::light_mesh) {
      CHECK_FALSE(inside.ok());
      continue;
    }
    REQUIRE(inside.ok());
    const MassProperties<3> a = mass_properties(inside.value().collider.shape);
    CHECK(a.volume < mass_properties(whole.collider.shape).volume);
    if (as == Fit::box) CHECK(a.volume == doctest::Approx(1.9 * 0.9 * 0.9));
    if (as == Fit::hull) CHECK(a.volume == doctest::Approx(1.9 * 0.9 * 0.9));
    if (as == Fit::ball)
      CHECK(inside.value().collider.shape.radius ==
            doctest::Approx(whole.collider.shape.radius - 0.05));
  }
}

TEST_CASE("fits: tiles follow a picture's grid, slopes too") {
  const std::vector<std::string> drawn{"....#", "./\\.#", "/##\\#", "#####"};
  const int cell = 8;
  const Pixels pixels = picture(5 * cell, 4 * cell, [&](int x, int y) {
    const char c = drawn[static_cast<std::size_t>(y / cell)][static_cast<std::size_t>(x / cell)];
    const int px = x % cell;
    const int py = y % cell;
    return c == '#' || (c == '/' && px + py >= cell - 1) || (c == '\\' && py >= px);
  });
  const Art<2> art = traced(pixels, {.pixel = 0.25}).value();
  const Offer<2> tiles = fit(art, Fit::tiles, FitOptions<2>{.cell = Vec<2>(2, 2)}).value();
  CHECK(tiles.rows == drawn);
  CHECK(tiles.fitness.overlap > 0.97);
  CHECK_FALSE(fit(art, Fit::tiles).ok());
}

TEST_CASE("fits: the best is the cheapest within the tolerance, with its reason") {
  const auto disc = traced(picture(
      65, 65, [](int x, int y) { return (x - 32) * (x - 32) + (y - 32) * (y - 32) < 900; }));
  const auto best_of = [](const Art<2>& art, const FitOptions<2>& o) {
    const Offers<2> all = fit_all(art, o);
    const Choice c = best_offer(art, all, o).value();
    CHECK(c.because.find("tolerance") != std::string::npos);
    return all.offers[c.offer].as;
  };
  CHECK(best_of(disc.value(), {}) == Fit::ball);
  CHECK(best_of(disc.value(), FitOptions<2>{.shrink = 0.1}) == Fit::ball);
  const auto crate = traced(picture(60, 40, [](int x, int y) { return x > 4 && y > 3; }));
  CHECK(best_of(crate.value(), {}) == Fit::box);
  CHECK_FALSE(best_offer(crate.value(), Offers<2>{}).ok());
  const auto best_of_model = [](const Art<3>& art) {
    const Offers<3> all = fit_all(art);
    return all.offers[best_offer(art, all).value().offer].as;
  };
  CHECK(best_of_model(notched({2, 1, 1}, 0.4)) == Fit::parts);
  CHECK(best_of_model(notched({2, 1, 1}, 0.01)) == Fit::box);
  // Costs are measured, relative to a circle; contacts are the same in each run.
  const FitCost ball = cost_of(circle(3));
  CHECK(ball.contacts == 1);
  CHECK(ball.time == 0);
  const FitCost pile = cost_of(fit(crate.value(), Fit::outline).value().collider.shape);
  CHECK(pile.contacts == cost_of(fit(crate.value(), Fit::outline).value().collider.shape).contacts);
  CHECK(cost_of(sphere(0.2)).contacts == 1);
  CHECK(cost_of(box(1, 2, 3)).contacts > 0);
}

TEST_CASE("fits: bad art and options are refused by name") {
  const auto message = [](const auto& result) {
    return result.ok() ? std::string("accepted") : result.error().message();
  };
  CHECK(message(traced({})) == "picture: is 0 x 0 pixels; 1 to 8192 on a side");
  CHECK(message(traced(picture(8, 8, [](int, int) { return false; }))).find("no pixel") !=
        std::string::npos);
  CHECK(message(traced(picture(8, 8, [](int x, int y) { return x == y; }))).find("islands") !=
        std::string::npos);
  const Pixels good = picture(8, 8, [](int, int) { return true; });
  CHECK(message(traced(good, {.part = {4, 4, 8, 8}})).find("has no part") != std::string::npos);
  CHECK(message(traced(good, {.pixel = 0})).find("more than 0") != std::string::npos);
  CHECK(
      message(traced(good, {.ground = std::array<std::uint8_t, 3>{40, 80, 120}})).find("ground") !=
      std::string::npos);
  CHECK(message(outlined_art({})).find("no area") != std::string::npos);
  CHECK(message(outlined_art({{{0.0, 0.0}, {1.0, 1.0}, {2.0, 2.0}}})).find("no area") !=
        std::string::npos);
  CHECK(message(outlined_art({{{0.0, 0.0}, {kNoNumber, 1.0}, {2.0, 0.0}}})).find("not finite") !=
        std::string::npos);
  // Crossing lines are drawn on a grid; windings count as they do in drawings.
  const Loop eight{{0.0, 0.0}, {2.0, 2.0}, {2.0, 0.0}, {0.0, 2.0}};
  const Art<2> crossed = outlined_art({eight}).value();
  CHECK(crossed.notes.size() == 1);
  CHECK(mass_of(crossed).volume == doctest::Approx(2).epsilon(0.01));
  const Loop outer{{0.0, 0.0}, {4.0, 0.0}, {4.0, 4.0}, {0.0, 4.0}};
  const Loop inner{{1.0, 1.0}, {3.0, 1.0}, {3.0, 3.0}, {1.0, 3.0}};
  CHECK(mass_of(outlined_art({outer, inner}).value()).volume == 16);
  CHECK(mass_of(outlined_art({outer, inner}, Winding::even_odd).value()).volume == 12);
  const Art<2> art = outlined_art({outer}).value();
  CHECK(message(fit(art, Fit::polygon, FitOptions<2>{.corners = 2})) == "corners: is 2; 3 to 64");
  CHECK(message(fit(art, Fit::simple, FitOptions<2>{.parts = 99})) == "parts: is 99; 1 to 16");
  CHECK(message(fit(art, Fit::box, FitOptions<2>{.tolerance = kNoNumber})).find("tolerance") == 0);
  CHECK(message(fit(art, Fit::hull)).find("of models") != std::string::npos);
  CHECK(message(fit(Art<2>{}, Fit::box)).find("no loops") != std::string::npos);
  CHECK(message(checked_art({})).find("no triangles") != std::string::npos);
  CHECK(message(checked_art({{{0.0, 0.0, 0.0}}, {{0, 1, 2}}, {}})).find("has corner 1") !=
        std::string::npos);
  CHECK(message(checked_art({{{0.0, 0.0, 0.0}, {1.0, 1.0, 1.0}, {2.0, 2.0, 2.0}}, {{0, 1, 2}}, {}}))
            .find("no triangle has an area") != std::string::npos);
  Art<3> flat;
  flat.points = {{0.0, 0.0, 0.0}, {1.0, 0.0, 0.0}, {0.0, 0.0, 1.0}};
  flat.triangles = {{0, 1, 2}};
  for (const Fit as : {Fit::hull, Fit::turned_box, Fit::capsule, Fit::parts, Fit::cone})
    CHECK_FALSE(fit(flat, as).ok());
  CHECK(message(heights_of(good, {1, 1}, kNoNumber)).find("height") == 0);
  CHECK(bounds(heights_of(good, {2.0, 3.0}, 5).value(), {}).size().x() == 14);
}

TEST_CASE("a scaled outline has its own bounds") {
  const Shape<2> large = outlined(Loop{{0.0, 0.0}, {8.0, 0.0}, {8.0, 8.0}, {4.0, 2.0}}).value();
  CHECK(bounds(scaled(large, 0.25), {}).size() == Vec<2>(2, 2));
}
