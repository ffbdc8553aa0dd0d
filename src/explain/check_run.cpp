// Expectations, and what only a run shows.
#include <fmt/format.h>

#include "explain/checking.h"

namespace colvik::reasons {

namespace {

template <int D>
std::vector<const Known<D>*> both(const Checking<D>& c, const std::string& a,
                                  const std::string& b) {
  auto first = c.meant(Who::parse(a, c.tags()).value());
  const auto second = c.meant(Who::parse(b, c.tags()).value());
  std::erase_if(first, [&](const Known<D>* k) {
    return std::find(second.begin(), second.end(), k) == second.end();
  });
  return first;
}

}  // namespace

template <int D>
void check_expectations(Checking<D>& c) {
  bool positive = false;
  bool negative = false;
  Place last;
  for (std::size_t i = 0; i < c.scene.expectations.size(); ++i) {
    const Expectation<D>& e = c.scene.expectations[i];
    const auto* reaction = std::get_if<ExpectReaction>(&e.what);
    const auto* contact = std::get_if<ExpectContact>(&e.what);
    const bool none = e.never || e.times == 0U || e.at_most == 0U;
    negative = negative || none;
    if ((reaction != nullptr || contact != nullptr) && !none) {
      positive = true;
      last = key_place(c.scene.expectation_keys, i, {"at_least", "times"}, e.place);
    }
    const auto idle = [&](const std::string& what, const std::string& todo) {
      c.add(
          "expectation-idle",
          key_place(c.scene.expectation_keys, i, {"at_least", "other", "self", "contact"}, e.place),
          "", what, todo);
    };
    if ((reaction != nullptr || contact != nullptr) && e.at_least == 0U && !e.at_most && !e.times)
      idle("at_least = 0 is met whatever happens", "at_least = 1, or never = true");
    if (reaction != nullptr) {
      for (const Reaction<D>& r : c.scene.reactions) {
        if (r.name != reaction->reaction || !std::holds_alternative<OnTouch>(r.when)) continue;
        const auto selves = both(c, reaction->self, r.self);
        const auto others = both(c, reaction->other, r.other);
        if (!none && (selves.empty() || others.empty()))
          idle(fmt::format("'{}' is for '{}' with '{}', and never for '{}' with '{}'", r.name,
                           r.self, r.other, reaction->self, reaction->other),
               "name those that it is for");
      }
    }
    for (const std::string* who : {reaction != nullptr  ? &reaction->self
                                   : contact != nullptr ? &contact->first
                                                        : nullptr,
                                   reaction != nullptr  ? &reaction->other
                                   : contact != nullptr ? &contact->second
                                                        : nullptr})
      if (who != nullptr && *who != "any" && c.meant(Who::parse(*who, c.tags()).value()).empty())
        idle(fmt::format("nobody is '{}'", *who), "name those that are there");
  }
  if (positive && !negative)
    c.add("no-negative", last, "", "nothing is expected not to happen",
          "an expectation with never = true beside it");
}

// Runs the scene, and the reactions that did not fire watched.
template <int D>
void check_run(Checking<D>& c) {
  const auto run = start_run(c.scene);
  const auto before = static_cast<std::ptrdiff_t>(c.found.size());
  std::vector<std::unique_ptr<Watch<D>>> watches(c.scene.reactions.size());
  for (std::size_t i = 0; i < c.scene.reactions.size(); ++i) {
    const Reaction<D>& r = c.scene.reactions[i];
    const bool touch = std::holds_alternative<OnTouch>(r.when);
    watches[i] = std::make_unique<Watch<D>>(run->world, run->rules,
                                            WatchQuestion{r.self, touch ? r.other : "any", r.name});
  }
  run->run_for(c.scene.length);
  for (std::size_t i = 0; i < watches.size(); ++i) {
    const ReactionReport& report = run->rules.reports()[i];
    const Reaction<D>& r = c.scene.reactions[i];
    if (report.idle_effects > 0)
      c.add("effect-idle", c.place_of(i), r.name,
            fmt::format("effects of '{}' found nothing to act on {} times", r.name,
                        report.idle_effects),
            "colvik story shows whether the object was gone by then");
    const std::vector<WatchedPair<D>> pairs = watches[i]->pairs();
    const bool is_known = std::any_of(
        c.found.begin(), c.found.begin() + before,
        [&](const Finding& f) { return f.of == r.name && f.severity == Severity::error; });
    const bool is_meant_so =
        std::any_of(c.scene.expectations.begin(), c.scene.expectations.end(), [&](const auto& e) {
          const auto* expected = std::get_if<ExpectReaction>(&e.what);
          return expected != nullptr && expected->reaction == r.name &&
                 (e.never || e.times == 0U || e.at_most == 0U);
        });
    if (report.fired == 0 && !is_known && !is_meant_so) {
      const bool started = !pairs.empty() && pairs.front().furthest.stage != Stage::absent;
      const std::string why = started ? watches[i]->sentence(pairs[0])
                              : std::holds_alternative<OnTouch>(r.when)
                                  ? "nobody that it is for was there"
                                  : why_unstarted(c.scene, *run, i);
      Place place = c.place_of(i);
      if (started) {
        const Advice advice = advice_for<D>({c.scene, *run, pairs[0], pairs[0].furthest, i});
        if (!advice.places.empty()) place = advice.places[0];
      }
      c.add("reaction-silent", place, r.name, fmt::format("'{}' did not fire: {}", r.name, why),
            fmt::format("colvik why {} --reaction {}", c.scene.file, r.name));
    }
    if (r.cooldown > 0 && report.stopped_limit > report.fired && report.fired > 0 &&
        !(std::holds_alternative<OnTouch>(r.when) &&
          std::get<OnTouch>(r.when).phase == Phase::during))
      c.add("cooldown-too-long", c.place_of(i, {"cooldown"}), r.name,
            fmt::format("the cooldown of '{}' held back {} of {} starts", r.name,
                        report.stopped_limit, report.stopped_limit + report.fired),
            "a shorter cooldown, or limits = \"per pair\"");
    for (const WatchedPair<D>& two : pairs)
      if (two.meant && report.fired > 0 && two.furthest.stage == Stage::apart &&
          two.furthest.gap > 0 && two.furthest.gap < 0.1 * c.scene.world.metre) {
        c.add("nearly-touches", place_of_object(c.scene, *run, two.second, {"path", "at", "row"}),
              two.second, fmt::format("'{}' did not fire: {}", r.name, watches[i]->sentence(two)),
              "a path, place or size with more to spare");
        break;
      }
  }
}

template void check_expectations(Checking<2>& c);
template void check_expectations(Checking<3>& c);
template void check_run(Checking<2>& c);
template void check_run(Checking<3>& c);

}  // namespace colvik::reasons
