// Colliders fitted to drawings, judged by other means: Boost.Geometry's hulls, dense searches,
// sampling; and what both dimensions share.
#include "fit_judge.hpp"

using namespace colvik;
using namespace colvik::fit_judge;
using namespace colvik::test;

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

TEST_CASE(
    "2D fits: a union is of the shapes that it is drawn of, and holds together within a margin") {
  Random random(309);
  for (int i = 0; i < 12; ++i) {
    CAPTURE(i);
    // Columns of other heights side by side: rectangles are all that it takes.
    const int columns = 2 + i % 3;
    Loop top;
    double x = 0;
    double narrow = 1e300;
    double low = 1e300;
    for (int k = 0; k < columns; ++k) {
      const double width = random.range(0.4, 1.4);
      const double height = random.range(0.4, 2.4);
      top.emplace_back(x, height);
      top.emplace_back(x += width, height);
      narrow = std::min(narrow, width);
      low = std::min(low, height);
    }
    Loop loop{{0, 0}, {x, 0}};
    loop.insert(loop.end(), top.rbegin(), top.rend());
    const Pose<2> pose{random.vec<2>(3), i % 2 == 0 ? Rotation<2>() : random.rotation<2>()};
    Loop placed = loop;
    for (Vec<2>& p : placed) p = pose * p;
    const Art<2> art = outlined_art({placed}).value();
    const Offer<2> whole = fit(art, Fit::simple).value();
    CHECK(whole.fitness.overlap > 0.94);
    CHECK(whole.fitness.pieces <= columns);
    const Offer<2> parts = fit(art, Fit::parts).value();
    CHECK(parts.fitness.pieces <= columns);
    // Within a margin, along a line through all columns, there is no gap.
    FitOptions<2> small;
    small.margin = 0.12 * std::min(narrow, low);
    const Offer<2> inside = fit(art, Fit::simple, small).value();
    const Area area = area_of_collider(inside.collider);
    for (int k = 0; k < 400; ++k) {
      const Vec<2> p(random.range(1.2 * small.margin, x - 1.2 * small.margin), 0.5 * low);
      CHECK(outside_of(area, pose * p) < 1e-9);
    }
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

TEST_CASE("2D fits: corners that hardly differ are no trouble") {
  for (const double apart : {1e-300, 1e-160, 1e-17, 1e-9}) {
    CAPTURE(apart);
    Art<2> art;
    art.loops = {{{0, 0}, {apart, 0}, {2, 0}, {2, apart}, {2, 1}, {0, 1}, {0, 1 - apart}}};
    for (const Fit as : fits<2>()) {
      CAPTURE(fit_name<2>(as));
      const auto found = fit(art, as, FitOptions<2>{.cell = {0.5, 0.5}});
      if (found) CHECK(found.value().fitness.covered > 0.98);
    }
  }
}

TEST_CASE("a scaled outline has its own bounds") {
  const Shape<2> large = outlined(Loop{{0.0, 0.0}, {8.0, 0.0}, {8.0, 8.0}, {4.0, 2.0}}).value();
  CHECK(bounds(scaled(large, 0.25), {}).size() == Vec<2>(2, 2));
}
