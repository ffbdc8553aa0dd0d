// All fits together: names, options, figures, and the choice among them.
#include <fmt/format.h>

#include <algorithm>

#include "fit/fitting.h"

namespace colvik {
namespace {

struct Named {
  Fit as;
  std::string_view flat;
  std::string_view solid;
};
constexpr Named kNames[] = {{Fit::ball, "circle", "sphere"},
                            {Fit::box, "box", "box"},
                            {Fit::turned_box, "turned_box", "turned_box"},
                            {Fit::capsule, "capsule", "capsule"},
                            {Fit::cylinder, "", "cylinder"},
                            {Fit::cone, "", "cone"},
                            {Fit::polygon, "polygon", ""},
                            {Fit::rounded, "rounded", ""},
                            {Fit::slabs, "", "slabs"},
                            {Fit::hull, "", "hull"},
                            {Fit::simple, "union", ""},
                            {Fit::parts, "parts", "parts"},
                            {Fit::outline, "outline", ""},
                            {Fit::tiles, "tiles", ""},
                            {Fit::light_mesh, "", "light_mesh"},
                            {Fit::mesh, "", "mesh"}};

template <int D>
std::string_view name_in(const Named& n) {
  return D == 2 ? n.flat : n.solid;
}

template <int D>
Result<fitting::Settled<D>> settled(const Art<D>& art, Fit as, const FitOptions<D>& given) {
  fitting::Settled<D> s{given, 0};
  FitOptions<D>& o = s.options;
  if (bounds_of(art).empty()) return Error{"art", "is empty", "a drawing or a model"};
  s.size = bounds_of(art).size().maxCoeff();
  if (!(s.size > 0)) return Error{"art", "has no size", "points apart from each other"};
  const auto within = [](double value, double least, double most) {
    return value >= least && value <= most;
  };
  const auto refuse = [](const char* what, double value, const std::string& accepted) {
    return Error{what, fmt::format("is {:g}", value), accepted};
  };
  if (!within(o.tolerance, 0, 1e9)) return refuse("tolerance", o.tolerance, "0 and more");
  if (o.tolerance <= 0) o.tolerance = s.size / 50;
  const bool hull = as == Fit::hull;
  if (o.corners == 0) o.corners = hull ? 32 : 8;
  const bool counted = hull || as == Fit::polygon || as == Fit::rounded;
  if (counted && !within(o.corners, hull ? 4 : 3, hull ? 256 : 64))
    return refuse("corners", o.corners, hull ? "4 to 256" : "3 to 64");
  const bool simple = as == Fit::simple;
  if (o.parts == 0) o.parts = simple ? 4 : 16;
  if ((simple || as == Fit::parts) && !within(o.parts, 1, simple ? 16 : 64))
    return refuse("parts", o.parts, simple ? "1 to 16" : "1 to 64");
  if (!within(o.shrink, 0, 0.9)) return refuse("shrink", o.shrink, "0 to 0.9");
  if (!within(o.margin, 0, 1e9)) return refuse("margin", o.margin, "0 and more");
  if (!o.cell.allFinite() || o.cell.minCoeff() < 0)
    return Error{"cell", fmt::format("is {:g} x {:g}", o.cell[0], o.cell[1]), "0 and more"};
  return s;
}

// What rounding left of a 0 is one.
template <int D>
Fitness<D> cleaned(Fitness<D> f, double size) {
  for (double* length : {&f.outward, &f.inward, &f.bump})
    if (*length < 1e-12 * size) *length = 0;
  return f;
}

template <int D>
Result<void> usable(const Art<D>& art) {
  if constexpr (D == 2) {
    if (art.loops.empty()) return Error{"art", "has no loops", "a drawing's outline"};
    for (const auto& loop : art.loops)
      for (const Vec<2>& p : loop)
        if (!p.allFinite()) return Error{"art", "has a corner that is not finite", "numbers"};
  } else {
    for (const Vec<3>& p : art.points)
      if (!p.allFinite()) return Error{"art", "has a point that is not finite", "numbers"};
    for (const auto& t : art.triangles)
      for (const std::uint32_t c : t)
        if (c >= art.points.size())
          return Error{"art", fmt::format("a triangle has corner {}", c),
                       fmt::format("0 to {}", art.points.size() - 1)};
  }
  return {};
}

// One fit with its figures, of art that is usable.
template <int D>
Result<Offer<D>> measured(const Art<D>& art, Fit as, const FitOptions<D>& options,
                          const fitting::Measuring<D>& measure) {
  const auto s = settled(art, as, options);
  if (!s) return s.error();
  s.value().report(0);
  Result<Offer<D>> found = [&] {
    if constexpr (D == 2) return fitting::fit_flat(art, as, s.value(), measure);
    else return fitting::fit_solid(art, as, s.value(), measure);
  }();
  if (!found) return found;
  Offer<D> offer = std::move(found).value();
  if (const Result<void> good = check_shape(offer.collider.shape, 1); !good) return good.error();
  offer.fitness = cleaned(measure().of(offer), s.value().size);
  return offer;
}

}  // namespace

template <int D>
std::string_view fit_name(Fit as) {
  for (const Named& n : kNames)
    if (n.as == as) return name_in<D>(n);
  return "";
}
template <int D>
std::optional<Fit> fit_named(std::string_view name) {
  for (const Named& n : kNames)
    if (!name.empty() && name_in<D>(n) == name) return n.as;
  return {};
}
template <int D>
std::vector<Fit> fits() {
  std::vector<Fit> all;
  for (const Named& n : kNames)
    if (!name_in<D>(n).empty()) all.push_back(n.as);
  return all;
}

template <int D>
Result<Offer<D>> fit(const Art<D>& art, Fit as, const FitOptions<D>& options) {
  if (const Result<void> good = usable(art); !good) return good.error();
  return measured(art, as, options, fitting::Measuring<D>(art));
}

template <int D>
Offers<D> fit_all(const Art<D>& art, const FitOptions<D>& options) {
  Offers<D> all;
  if (const Result<void> good = usable(art); !good) {
    all.refused.emplace_back(Fit::ball, good.error());
    return all;
  }
  const fitting::Measuring<D> measure(art);
  const std::vector<Fit> list = fits<D>();
  for (std::size_t i = 0; i < list.size(); ++i) {
    if (list[i] == Fit::tiles && options.cell.isZero(0)) continue;
    const double done = static_cast<double>(i) / static_cast<double>(list.size());
    FitOptions<D> part = options;
    if (options.progress)
      part.progress = [&](double p) {
        options.progress(done + p / static_cast<double>(list.size()));
      };
    Result<Offer<D>> offer = measured(art, list[i], part, measure);
    if (offer) all.offers.push_back(std::move(offer).value());
    else all.refused.emplace_back(list[i], offer.error());
  }
  return all;
}

template <int D>
Result<Choice> best_offer(const Art<D>& art, const Offers<D>& offers,
                          const FitOptions<D>& options) {
  if (offers.offers.empty()) return Error{"fit", "nothing was offered", "art with an area"};
  const auto s = settled(art, Fit::ball, options);
  if (!s) return s.error();
  const double tolerance = s.value().options.tolerance;
  // What was taken away on purpose makes it smaller by no more than this.
  const Vec<D> size = bounds_of(art).size();
  const double less =
      options.margin * (D == 2 ? 1.4143 : 1.7321) + options.shrink * 0.5 * size.norm();
  for (const bool solid : {true, false})
    for (std::size_t i = 0; i < offers.offers.size(); ++i) {
      const Fitness<D>& f = offers.offers[i].fitness;
      if (solid && is_scenery(offers.offers[i].collider.shape.kind)) continue;
      if (f.outward > tolerance || f.inward > tolerance + less) continue;
      return Choice{i, fmt::format("the cheapest within the tolerance of {:.4g}: {:.4g} outward, "
                                   "{:.4g} inward",
                                   tolerance, f.outward, f.inward)};
    }
  std::size_t best = 0;
  const auto overlap = [&](std::size_t i) { return offers.offers[i].fitness.overlap; };
  for (std::size_t i = 1; i < offers.offers.size(); ++i)
    if (overlap(i) > overlap(best) + 1e-9) best = i;
  return Choice{best,
                fmt::format("none is within the tolerance of {:.4g}; it overlaps best, {:.1f}%",
                            tolerance, 100 * overlap(best))};
}

template std::string_view fit_name<2>(Fit);
template std::string_view fit_name<3>(Fit);
template std::optional<Fit> fit_named<2>(std::string_view);
template std::optional<Fit> fit_named<3>(std::string_view);
template std::vector<Fit> fits<2>();
template std::vector<Fit> fits<3>();
template Result<Offer<2>> fit(const Art<2>&, Fit, const FitOptions<2>&);
template Result<Offer<3>> fit(const Art<3>&, Fit, const FitOptions<3>&);
template Offers<2> fit_all(const Art<2>&, const FitOptions<2>&);
template Offers<3> fit_all(const Art<3>&, const FitOptions<3>&);
template Result<Choice> best_offer(const Art<2>&, const Offers<2>&, const FitOptions<2>&);
template Result<Choice> best_offer(const Art<3>&, const Offers<3>&, const FitOptions<3>&);

}  // namespace colvik
