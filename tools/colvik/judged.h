#pragma once
// Expectations of a run, as pages, timelines and recordings show them.
#include <colvik/insight.hpp>
#include <colvik/scene.hpp>

namespace colvik::tool {

template <int D>
std::vector<Judged> judged(const Scene<D>& scene, const Run<D>& run,
                           std::span<const std::string> reasons) {
  std::vector<Judged> all;
  for (std::size_t i = 0; i < scene.expectations.size(); ++i) {
    const Expectation<D>& e = scene.expectations[i];
    const ExpectationResult r = judge(e, run.trace);
    Judged v{r.expected, r.met, r.met ? "" : r.happened, {}, e.from, e.to};
    if (i < reasons.size() && !reasons[i].empty()) v.why += "; " + reasons[i];
    if (const auto* reaction = std::get_if<ExpectReaction>(&e.what))
      v.reaction = reaction->reaction;
    all.push_back(std::move(v));
  }
  return all;
}

// Works out the reasons, too, which takes another run.
template <int D>
std::vector<Judged> judged(const Scene<D>& scene, const Run<D>& run) {
  return judged<D>(scene, run, why_missed<D>(scene.expectations, run.trace, scene.length, [&] {
                     return start_run(scene);
                   }));
}

}  // namespace colvik::tool
