// Colliders fitted to models, judged by dense searches and sampling.
#include "fit_judge.hpp"

using namespace colvik;
using namespace colvik::fit_judge;
using namespace colvik::test;

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
    // Within a margin the parts still meet: they are what of the model is as deep as that.
    const double margin = 0.08 * std::min({size.x() / 2, size.y() - notch, size.z()});
    const auto small =
        fit(art, Fit::parts, FitOptions<3>{.tolerance = tolerance, .parts = 64, .margin = margin});
    REQUIRE(small.ok());
    const double near = i % 2 == 0 ? 1e-6 : tolerance;  // turned, they need not follow its faces
    for (int k = 0; k < 2000; ++k) {
      const Vec<3> p(random.range(-0.5, 0.5) * size.x(), random.unit() * size.y(),
                     random.range(-0.5, 0.5) * size.z());
      const double beside =
          std::max(size.x() / 4 - std::abs(p.x()), std::abs(p.x()) - size.x() / 4);
      const bool left = std::abs(p.x()) < size.x() / 4;
      const double over_notch = size.y() - notch - p.y();  // below 0: as high as the notch
      const double to_notch = left              ? over_notch
                              : over_notch >= 0 ? std::hypot(beside, over_notch)
                                                : beside;
      const double deep = std::min({size.x() / 2 - std::abs(p.x()), p.y(), size.y() - p.y(),
                                    size.z() / 2 - std::abs(p.z()), to_notch});
      const double out = outside_of(small.value().collider, pose * p);
      // Corners of the margin are square, not round.
      if (deep > 1.42 * margin + near) CHECK(out <= near);
      if (deep < margin - near) CHECK(out > 0);
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
