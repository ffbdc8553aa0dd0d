#pragma once
// What a run cost, as the tool's clock saw it.
#include <colvik/run.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace colvik::tool {

template <int D>
struct StepCost {
  double seconds = 0;
  double worst = 0;
  std::uint64_t steps = 0;
  std::uint64_t worst_step = 0;
  std::size_t awake = 0;
  std::size_t pairs = 0;
  std::size_t contacts = 0;  // at the most
  std::map<std::string, KindCost>
      kinds;  // pairs and contacts summed over the steps, the rest at the most

  void note(const World<D>& world, double took) {
    seconds += took;
    ++steps;
    if (took > worst) {
      worst = took;
      worst_step = world.steps();
    }
    awake = std::max(awake, world.awake_count());
    pairs = std::max(pairs, world.pair_count());
    contacts = std::max(contacts, world.contact_count());
    for (const KindCost& now : world.cost_by_kind()) {
      KindCost& k = kinds[now.kind];
      k.objects = std::max(k.objects, now.objects);
      k.awake = std::max(k.awake, now.awake);
      k.colliders = std::max(k.colliders, now.colliders);
      k.pairs += now.pairs;
      k.contacts += now.contacts;
    }
  }
};

template <int D>
std::string cost_report(const StepCost<D>& cost, const World<D>& world, const Trace<D>& trace) {
  std::size_t colliders = 0;
  std::map<std::string, std::size_t> shapes;
  for (const TraceObject<D>& o : trace.objects())
    for (const ColliderDef<D>& c : o.colliders) {
      ++colliders;
      ++shapes[std::string(shape_name<D>(c.shape.kind))];
    }
  std::string out = "What it cost\n";
  out += fmt::format("  objects         {} in all, {} awake at the most\n", trace.objects().size(),
                     cost.awake);
  out += fmt::format("  colliders       {}", colliders);
  for (const auto& [shape, n] : shapes) out += fmt::format(", {} {}", n, shape);
  out +=
      fmt::format("\n  pairs           {} at the most, {} contacts\n", cost.pairs, cost.contacts);
  out += fmt::format("  static moved    {} times\n", world.still_moved());
  const double n = static_cast<double>(std::max<std::uint64_t>(1, cost.steps));
  out += fmt::format("  a step          {:.3f} ms mean, {:.3f} ms worst (step {})\n",
                     1e3 * cost.seconds / n, 1e3 * cost.worst, cost.worst_step);
  // Stages are shared, so that time cannot be split by kind; what they visit can.
  out += "  by kind         objects  awake  colliders  pairs and contacts a step\n";
  for (const auto& [kind, k] : cost.kinds)
    out += fmt::format("    {:<13} {:>7}  {:>5}  {:>9}  {:>5.1f}  {:>5.1f}\n",
                       kind.empty() ? "(no kind)" : kind, k.objects, k.awake, k.colliders,
                       static_cast<double>(k.pairs) / n, static_cast<double>(k.contacts) / n);
  return out;
}

}  // namespace colvik::tool
