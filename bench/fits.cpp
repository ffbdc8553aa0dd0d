// Colliders from art: a picture of 1024 x 1024 pixels, and models of 100,000 triangles.
#include <colvik/fit.hpp>

#include <CGAL/Exact_predicates_inexact_constructions_kernel.h>
#include <CGAL/Surface_mesh.h>
#include <CGAL/convex_hull_3.h>

#include <cmath>

#include "bench.hpp"

namespace bench {
namespace {

// A star with round arms and a hole.
Pixels star_picture(int side) {
  Pixels pixels;
  pixels.width = pixels.height = side;
  pixels.bytes.resize(static_cast<std::size_t>(side) * static_cast<std::size_t>(side) * 4);
  for (int y = 0; y < side; ++y)
    for (int x = 0; x < side; ++x) {
      const Vec<2> p(2.0 * x / side - 1, 2.0 * y / side - 1);
      const double reach = 0.7 + 0.25 * std::cos(5 * std::atan2(p.y(), p.x()));
      const bool in = p.norm() < reach && (p - Vec<2>(0.2, 0.1)).norm() > 0.12;
      const std::size_t at = static_cast<std::size_t>(y) * static_cast<std::size_t>(side) +
                             static_cast<std::size_t>(x);
      pixels.bytes[4 * at + 3] = in ? 255 : 0;
    }
  return pixels;
}

// A torus of 2 * around * along triangles.
Art<3> torus(std::uint32_t around, std::uint32_t along) {
  Art<3> art;
  for (std::uint32_t i = 0; i < around; ++i)
    for (std::uint32_t k = 0; k < along; ++k) {
      const double u = 2 * kPi * i / around;
      const double v = 2 * kPi * k / along;
      const double out = 1 + 0.35 * std::cos(v);
      art.points.emplace_back(out * std::cos(u), 0.35 * std::sin(v), out * std::sin(u));
      const std::uint32_t right = (i + 1) % around * along;
      const std::uint32_t up = (k + 1) % along;
      art.triangles.push_back({i * along + k, i * along + up, right + up});
      art.triangles.push_back({i * along + k, right + up, right + k});
    }
  return checked_art(std::move(art)).value();
}

template <int D>
void fit_row(const char* group, const std::function<Art<D>()>& make, Fit as,
             const FitOptions<D>& options) {
  row(group, "colvik", [make, as, options](benchmark::State& state) {
    const Art<D> art = make();
    double overlap = 0;
    for (auto _ : state) {
      const Result<Offer<D>> offer = fit(art, as, options);
      if (!offer) return state.SkipWithError(offer.error().message().c_str());
      overlap = offer.value().fitness.overlap;
    }
    state.counters["overlap"] = overlap;
  })->Unit(benchmark::kMillisecond);
}

}  // namespace

void register_fits() {
  row("fit/2D/traced", "colvik", [](benchmark::State& state) {
    const Pixels pixels = star_picture(1024);
    for (auto _ : state) benchmark::DoNotOptimize(traced(pixels, {.pixel = 0.01}).value());
  })->Unit(benchmark::kMillisecond);
  const auto star = [] { return traced(star_picture(1024), {.pixel = 0.01}).value(); };
  for (const Fit as : {Fit::ball, Fit::capsule, Fit::polygon, Fit::outline, Fit::parts})
    fit_row<2>(("fit/2D/" + std::string(fit_name<2>(as))).c_str(), star, as, {});
  const auto ring = [] { return torus(320, 160); };
  fit_row<3>("fit/3D/parts", ring, Fit::parts, {.tolerance = 0.05 * 2.7});
  fit_row<3>("fit/3D/hull", ring, Fit::hull, {.corners = 64});
  row("fit/3D/hull", "CGAL, all corners", [ring](benchmark::State& state) {
    using Kernel = CGAL::Exact_predicates_inexact_constructions_kernel;
    std::vector<Kernel::Point_3> points;
    for (const Vec<3>& p : ring().points) points.emplace_back(p.x(), p.y(), p.z());
    for (auto _ : state) {
      CGAL::Surface_mesh<Kernel::Point_3> hull;
      CGAL::convex_hull_3(points.begin(), points.end(), hull);
      benchmark::DoNotOptimize(hull.num_vertices());
    }
  })->Unit(benchmark::kMillisecond);
}

}  // namespace bench
