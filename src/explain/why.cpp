// Runs a scene, watched, and gathers why something fired or did not.
#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "explain/explain.h"

namespace colvik {

namespace {

// A tag query, "@object", or an object's name where no tag has it.
template <int D>
Result<std::string> whom(const std::string& text, const Tags& tags, const Scene<D>& scene) {
  const bool by_name = text.starts_with('@');
  const std::string name = by_name ? text.substr(1) : text;
  const Result<Who> who = Who::parse(text, tags);
  if (!by_name && who) return text;
  for (const ObjectDef<D>& o : scene.objects)
    if (o.name == name) return "@" + name;
  const auto run = start_run(scene);  // it may come later
  run->run_for(scene.length);
  std::vector<std::string> names;
  for (const TraceObject<D>& o : run->trace.objects()) names.push_back(o.name);
  if (std::find(names.begin(), names.end(), name) != names.end()) return "@" + name;
  if (by_name)
    return Error{{},
                 fmt::format("no object is named '{}'", name),
                 suggestion(name, names, "the name of an object of the run", "@")};
  for (const auto& [tag, meaning] : scene.tags) names.push_back(tag);
  const std::string near = nearest_name(text, names);
  return Error{{},
               fmt::format("'{}' is no tag query, and no object is named so", text),
               near.empty() ? who.error().accepted : fmt::format("did you mean '{}'?", near)};
}

// What a firing led to, until the end of the step after it.
template <int D>
std::vector<std::string> led_to(const Trace<D>& trace, const Rules<D>& rules, std::uint64_t step,
                                std::size_t reaction) {
  std::vector<std::string> list;
  for (const TraceNumber& n : trace.number_changes())
    if (n.step == step && n.before)
      list.push_back(fmt::format("{}.{} {:g}, before {:g}",
                                 n.object == kNobody ? "world" : trace.objects()[n.object].name,
                                 n.name, n.value, *n.before));
  for (const TraceObject<D>& o : trace.objects()) {
    if (o.gone == step && o.remover == reaction) list.push_back(o.name + " was removed");
    if (o.born == step && step > 0) list.push_back(o.name + " came");
  }
  for (const TraceFiring<D>& f : trace.firings())
    if ((f.step == step || f.step == step + 1) && f.reaction != reaction &&
        !std::holds_alternative<OnTouch>(rules.reports()[f.reaction].when))
      list.push_back(
          fmt::format("'{}' fired at {:.3f} s", rules.reports()[f.reaction].name, f.time));
  if (list.size() > 6) {
    const std::size_t more = list.size() - 6;
    list.resize(6);
    list.push_back(fmt::format("{} more", more));
  }
  return list;
}

template <int D>
std::string admitted(const Trace<D>& trace, const std::string& a, const std::string& b) {
  const std::uint32_t i = trace.find(a);
  const std::uint32_t k = trace.find(b);
  if (i == kNobody || k == kNobody) return "";
  for (Party p : trace.objects()[i].parties)
    for (Party q : trace.objects()[k].parties) {
      p.active = q.active = p.on = q.on = true;
      const Verdict v = decide(p, q);
      if (v.meet) return explain(v, p, a, q, b, trace.tags());
    }
  return "";
}

template <int D>
Result<void> check_times(const Scene<D>& scene, const WatchQuestion& q) {
  if (q.from < 0 || !(q.from <= q.to))
    return Error{"the time", fmt::format("from {:g} to {:g} s is no time", q.from, q.to),
                 "two times, the earlier one first"};
  const double last = std::isfinite(q.to) ? q.to : q.from;
  if (last > scene.length)
    return Error{"the time", fmt::format("{:g} s is after the end of the run", last),
                 fmt::format("0 to {:g} s, the scene's length", scene.length)};
  return {};
}

template <int D>
void gather(Why& answer, const Run<D>& run, const Watch<D>& watch,
            const std::optional<std::size_t>& reaction, const WatchQuestion& q) {
  for (const WatchedPair<D>& two : watch.pairs()) {
    std::vector<double> times = two.fired;
    if (!reaction)
      for (const WatchedTouch& t : two.touches)
        if (t.begin >= q.from && t.begin <= q.to) times.push_back(t.begin);
    for (const double time : times) {
      WhyFired f{time, two.first, two.second, admitted(run.trace, two.first, two.second), {}};
      const auto step = static_cast<std::uint64_t>(std::llround(time * run.trace.rate()));
      if (reaction) f.led_to = led_to(run.trace, run.rules, step, *reaction);
      answer.fired.push_back(std::move(f));
    }
    if (times.size() > 1 && two.touches.size() > 1) answer.again.push_back(watch.touches_of(two));
    if (times.empty())
      answer.not_fired.push_back(
          {two.first, two.second, two.furthest.stage, watch.sentence(two), two.meant});
  }
  std::stable_sort(answer.fired.begin(), answer.fired.end(),
                   [](const WhyFired& x, const WhyFired& y) { return x.time < y.time; });
}

}  // namespace

template <int D>
Result<Why> why(const Scene<D>& scene, const WatchQuestion& question) {
  if (auto good = check_times(scene, question); !good) return good.error();
  const auto run = start_run(scene);
  WatchQuestion q = question;
  for (std::string* text : {&q.first, &q.second}) {
    const Result<std::string> meant = whom(*text, run->world.tags(), scene);
    if (!meant) return meant.error();
    *text = meant.value();
  }
  if (auto good = Watch<D>::check(run->world, run->rules, q); !good) return good.error();
  std::optional<std::size_t> reaction;
  for (std::size_t i = 0; i < run->rules.reports().size(); ++i)
    if (!q.reaction.empty() && run->rules.reports()[i].name == q.reaction) reaction = i;
  if (reaction && q.first == "any" && q.second == "any") {  // those that it is for
    q.first = run->rules.reaction(*reaction).self;
    q.second = run->rules.reaction(*reaction).other;
  }
  Why answer{scene.file, {}, !q.reaction.empty(), {}, {}, {}, {}, {}};
  answer.question = q.reaction.empty()
                        ? fmt::format("touches of {} and {}", q.first, q.second)
                        : fmt::format("'{}' of {} and {}", q.reaction, q.first, q.second);
  const Watch<D> watch(run->world, run->rules, q);
  run->run_for(scene.length);
  gather(answer, *run, watch, reaction, q);
  const std::vector<WatchedPair<D>> pairs = watch.pairs();
  const bool of_touch =
      !reaction || std::holds_alternative<OnTouch>(run->rules.reports()[*reaction].when);
  if (!of_touch) answer.question = fmt::format("'{}'", q.reaction);
  if (!of_touch && answer.fired.empty() &&
      (pairs.empty() || pairs.front().furthest.stage == Stage::absent)) {
    answer.not_fired = {{"", "", Stage::absent, reasons::why_unstarted(scene, *run, *reaction)}};
    if (*reaction < scene.reaction_places.size())
      answer.places = {scene.reaction_places[*reaction]};
    answer.change = "`when` of the reaction, or what it waits for";
    return answer;
  }
  for (const WatchedPair<D>& two : pairs) {
    if (!two.fired.empty() || (!reaction && two.furthest.stage == Stage::touched)) continue;
    reasons::Advice advice = reasons::advice_for<D>({scene, *run, two, two.furthest, reaction});
    answer.change = std::move(advice.text);
    answer.places = std::move(advice.places);
    break;
  }
  return answer;
}

std::string why_report(const Why& why) {
  std::string out = fmt::format("{}: {}\n", why.file, why.question);
  constexpr std::size_t kListed = 8;
  if (!why.fired.empty()) {
    out += why.of_reaction ? "\nFired\n" : "\nTouched\n";
    for (std::size_t i = 0; i < why.fired.size() && i < kListed; ++i) {
      const WhyFired& f = why.fired[i];
      out += fmt::format("  {:.3f} s{}{}{}{}\n", f.time, f.first.empty() ? "" : "  ", f.first,
                         f.second.empty() ? "" : " and ", f.second);
      if (!f.admitted.empty()) out += fmt::format("           as {}\n", f.admitted);
      for (const std::string& line : f.led_to) out += fmt::format("           then {}\n", line);
    }
    if (why.fired.size() > kListed)
      out += fmt::format("  and {} more\n", why.fired.size() - kListed);
  }
  if (!why.again.empty()) {
    out += "\nMore than once\n";
    for (std::size_t i = 0; i < why.again.size() && i < kListed; ++i)
      out += fmt::format("  {}\n", why.again[i]);
  }
  if (why.not_fired.empty() && why.fired.empty()) return out + "\nNobody that was there is meant\n";
  if (why.not_fired.empty()) return out;
  out += why.of_reaction ? "\nDid not fire\n" : "\nDid not touch\n";
  std::map<int, std::vector<const WhyPair*>, std::greater<>> groups;  // the furthest first
  for (const WhyPair& two : why.not_fired)
    groups[static_cast<int>(two.stage) + (two.meant ? 1000 : 0)].push_back(&two);
  const bool single = why.not_fired.size() == 1;
  for (const auto& [order, list] : groups) {
    if (!single)
      out += fmt::format("  {} {}{}: {}\n", list.size(), list.size() == 1 ? "pair" : "pairs",
                         list.front()->meant ? "" : " that it is not for",
                         name_of(list.front()->stage));
    out += fmt::format("  {}{}\n", single ? "" : "  ", list.front()->sentence);
  }
  if (!why.change.empty()) out += fmt::format("\nTo change: {}\n", why.change);
  for (const Place& p : why.places) out += fmt::format("  {}:{}:{}\n", p.file, p.line, p.column);
  return out;
}

template Result<Why> why(const Scene<2>&, const WatchQuestion&);
template Result<Why> why(const Scene<3>&, const WatchQuestion&);

}  // namespace colvik
