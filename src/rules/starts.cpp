// What starts reactions.
#include <algorithm>

#include <colvik/chance.hpp>
#include "math/fault.h"
#include "rules/rules_impl.h"

namespace colvik {

using rules::Candidate;
using rules::kNoEvent;

// All of a step: in the order of the reactions, of one in the order of the events.
template <int D>
void Rules<D>::Impl::react(std::span<const Event<D>> events) {
  fired.clear();
  withheld.clear();
  attempts.clear();
  going_by.clear();
  cues_now.swap(cues);
  cues.clear();
  if (world.finished()) return;  // what ends with the run starts nothing
  find_candidates(events);
  std::size_t at = 0;
  for (std::size_t i = 0; i < reactions.size(); ++i) {
    for (std::size_t k = 0; k < delayed.size(); ++k)
      if (delayed[k].reaction == i && delayed[k].due <= world.steps())
        apply(i, delayed[k].effect, rules::Moment<D>(delayed[k].moment));
    const Start& when = reactions[i].reaction.when;
    if (std::holds_alternative<OnTouch>(when)) react_to_touches(i, events, at);
    else if (const auto* number = std::get_if<OnNumber>(&when)) react_to_number(i, *number);
    else if (const auto* count = std::get_if<OnCount>(&when)) react_to_count(i, *count);
    else if (const auto* state = std::get_if<OnState>(&when)) react_to_state(i, *state);
    else if (is_due(i)) start(i, {}, kNoEvent);
  }
  inputs.clear();
  std::erase_if(delayed, [&](const rules::Delayed<D>& d) { return d.due <= world.steps(); });
}

// The touches of this step that fit reactions by their tags or names. Which reactions fit two sets
// of tags is worked out once, so that reactions that fit nothing cost nothing.
template <int D>
void Rules<D>::Impl::find_candidates(std::span<const Event<D>> events) {
  candidates.clear();
  if (events.empty()) return;
  const auto number_of = [&](const TagSet& tags) {
    return tag_sets.try_emplace(tags, static_cast<std::uint32_t>(tag_sets.size())).first->second;
  };
  for (std::uint32_t k = 0; k < events.size(); ++k) {
    const Event<D>& e = events[k];
    const auto [at, fresh] =
        fitting.try_emplace(std::pair(number_of(e.self_tags), number_of(e.other_tags)));
    if (fresh)
      for (std::uint32_t i = 0; i < reactions.size(); ++i) {
        const ReactionReport& who = reports[i];
        if (!std::holds_alternative<OnTouch>(who.when) || !who.self.object().empty() ||
            !who.other.object().empty())
          continue;
        if (who.self.matches("", e.self_tags) && who.other.matches("", e.other_tags))
          at->second.emplace_back(i, false);
        if (who.self.matches("", e.other_tags) && who.other.matches("", e.self_tags))
          at->second.emplace_back(i, true);
      }
    for (const auto& [reaction, turned] : at->second) candidates.push_back({reaction, k, turned});
    if (named.empty()) continue;
    const std::string& self = world.object(e.self).name;
    const std::string& other = world.object(e.other).name;
    for (const std::uint32_t i : named) {
      const ReactionReport& who = reports[i];
      if (who.self.matches(self, e.self_tags) && who.other.matches(other, e.other_tags))
        candidates.push_back({i, k, false});
      if (who.self.matches(other, e.other_tags) && who.other.matches(self, e.self_tags))
        candidates.push_back({i, k, true});
    }
  }
  std::sort(candidates.begin(), candidates.end());
}

template <int D>
void Rules<D>::Impl::react_to_touches(std::size_t index, std::span<const Event<D>> events,
                                      std::size_t& at) {
  const auto& start_of = std::get<OnTouch>(reactions[index].reaction.when);
  const bool visits = reactions[index].reaction.once == Once::per_visit;
  std::size_t noted = 0;
  const auto note_up_to = [&](std::size_t end) {
    for (; visits && noted < end; ++noted) note_visit(reactions[index], events[noted]);
  };
  for (; at < candidates.size() && candidates[at].reaction == index; ++at) {
    const Candidate& c = candidates[at];
    note_up_to(c.event + 1);
    const Event<D>& e = events[c.event];
    const Event<D> seen = c.turned ? e.seen_from(e.other) : e;
    const Refusal by = unfit(start_of, seen);
    if (by.stage != Stage::fired && asked_attempts == 0) continue;
    Firing<D> firing;
    firing.self = seen.self;
    firing.other = seen.other;
    firing.touch = seen;
    firing.reaction = index;
    if (by.stage != Stage::fired) {
      note_attempt(firing, by);
      continue;
    }
    start(index, std::move(firing), c.event);
  }
  note_up_to(events.size());
}

template <int D>
void Rules<D>::Impl::react_to_number(std::size_t index, const OnNumber& on) {
  const auto watch = [&](std::uint64_t owner, double value) {
    const auto [at, fresh] = reactions[index].last_value.try_emplace(owner, value);
    const double last = std::exchange(at->second, value);
    const double v = on.reaches;
    if (fresh) return false;
    switch (on.how) {
      case OnNumber::How::reaches: return (last < v && value >= v) || (last > v && value <= v);
      case OnNumber::How::passes: return (last <= v && value > v) || (last >= v && value < v);
      default: return last == v && value != v;
    }
  };
  const rules::NumberName n = reactions[index].watched;
  if (n.whose != rules::NumberName::Whose::self) {
    const std::optional<double> value = value_of(n, {});
    if (value && watch(0, *value)) start(index, {}, kNoEvent);
    return;
  }
  for (const ObjectId id : world.objects()) {
    const Object<D>& o = world.object(id);
    const std::optional<double> value = world.number({id}, n.name);
    // Watched in everyone, so that one who is only now meant does not start with a stale value.
    if (!value || !watch(o.serial, *value) || !reports[index].self.matches(o.name, o.tags))
      continue;
    Firing<D> firing;
    firing.self = id;
    start(index, std::move(firing), kNoEvent);
  }
}

template <int D>
void Rules<D>::Impl::react_to_count(std::size_t index, const OnCount& on) {
  const std::uint64_t now = count_of(reactions[index].counted);
  const auto [at, fresh] = reactions[index].last_value.try_emplace(0, static_cast<double>(now));
  const auto last = static_cast<std::uint64_t>(std::exchange(at->second, static_cast<double>(now)));
  if (!fresh && last != now && now == on.reaches) start(index, {}, kNoEvent);
}

// Watched in everyone, as numbers are. An object that is created in the state enters it then.
template <int D>
void Rules<D>::Impl::react_to_state(std::size_t index, const OnState& on) {
  const bool first = world.steps() <= 1;
  for (const ObjectId id : world.objects()) {
    const Object<D>& o = world.object(id);
    const double now = is_in(id, on.state) ? 1 : 0;
    const auto [at, fresh] = reactions[index].last_value.try_emplace(o.serial, first ? now : 0);
    const double last = std::exchange(at->second, now);
    if (last == now || (now == 1) == on.leaves || !reports[index].self.matches(o.name, o.tags))
      continue;
    Firing<D> firing;
    firing.self = id;
    start(index, std::move(firing), kNoEvent);
  }
}

// Whether what starts without a touch or a value does so in this step.
template <int D>
bool Rules<D>::Impl::is_due(std::size_t index) {
  rules::Compiled<D>& r = reactions[index];
  const double slack = 1e-9;  // for times that no number of steps gives exactly
  if (const auto* input = std::get_if<OnInput>(&r.reaction.when))
    return inputs.contains(input->name);
  if (const auto* cue = std::get_if<OnCue>(&r.reaction.when)) return cues_now.contains(cue->name);
  bool due = r.beats == 0;  // of the start
  if (const auto* time = std::get_if<OnTime>(&r.reaction.when)) {
    due = r.beats == 0 && world.time() >= time->at - slack;
  } else if (const auto* every = std::get_if<OnInterval>(&r.reaction.when)) {
    const double nth = every->from + static_cast<double>(r.beats) * every->every;
    due = world.time() >= nth + every->vary * chance(every->seed, r.beats) - slack;
  }
  r.beats += due ? 1 : 0;
  return due;
}

template <int D>
void Rules<D>::Impl::note_attempt(const Firing<D>& f, const Refusal& by) {
  if (asked_attempts == 0) return;
  Attempt<D> a{world.steps(), world.time(), f.reaction, f.self, f.other, f.touch, by, {}};
  if (by.stage == Stage::claimed && !withheld.empty()) a.claimed_by = withheld.back().claimed_by;
  attempts.push_back(std::move(a));
}

// What keeps a reaction that was started from firing, in this order; counts it.
template <int D>
Refusal Rules<D>::Impl::held_back(std::size_t index, const Firing<D>& firing, std::size_t event) {
  rules::Compiled<D>& r = reactions[index];
  ReactionReport& report = reports[index];
  const bool gone = (firing.self && !may_start(*firing.self, event)) ||
                    (firing.other && !may_start(*firing.other, event));
  if (gone && !r.reaction.going_too) {
    ++report.stopped_going;
    Withheld w{firing.step, firing.time, index, {}, firing.self, firing.other};
    for (const std::optional<ObjectId>& id : {firing.self, firing.other})
      if (id && !w.claimed_by)
        if (const auto claim = claims.find(world.object(*id).serial); claim != claims.end())
          w.claimed_by = claim->second.reaction;
    withheld.push_back(w);
    return {Stage::claimed};
  }
  if (!r.on) {
    ++report.stopped_off;
    return {Stage::off};
  }
  if (const Refusal by = failing(r, firing); by.stage != Stage::fired) {
    ++report.stopped_guard;
    return by;
  }
  const Refusal by = limit(index, firing);
  report.stopped_limit += by.stage != Stage::fired ? 1 : 0;
  return by;
}

template <int D>
void Rules<D>::Impl::start(std::size_t index, Firing<D> firing, std::size_t event) {
  rules::Compiled<D>& r = reactions[index];
  firing.step = world.steps();
  firing.time = world.time();
  firing.reaction = index;
  ReactionReport& report = reports[index];
  const Refusal by = held_back(index, firing, event);
  note_attempt(firing, by);
  if (by.stage != Stage::fired) return;
  ++report.fired;
  note_limited(r, firing);
  const auto going = [&](std::optional<ObjectId> id) {
    if (!id || !world.alive(*id) || world.object(*id).going) return;
    world.mark_going(*id);
    going_by.emplace_back(*id, event);
    constexpr std::size_t kManyClaims = 1024;
    if (claims.size() >= kManyClaims)
      std::erase_if(claims, [&](const auto& c) { return !world.alive(c.second.object); });
    claims[world.object(*id).serial] = {index, *id};
  };
  if (r.removes_self && !COLVIK_FAULT(25)) going(firing.self);
  if (r.removes_other) going(firing.other);
  for (const std::string& name : r.removes_named) going(world.find(name));
  for (const TagQuery& query : r.removes_all)
    for (const ObjectId id : world.objects())
      if (world.object(id).active && query.matches(world.object(id).tags)) going(id);
  const rules::Moment<D> moment = rules::moment_of(firing);
  for (std::size_t k = 0; k < reactions[index].effects.size(); ++k) {
    const double after = reactions[index].effects[k].effect.after;
    const auto steps = static_cast<std::uint64_t>(std::llround(after * world.settings().rate));
    if (steps == 0) apply(index, k, moment);
    else delayed.push_back({world.steps() + steps, index, k, moment});
  }
  fired.push_back(firing);
  if (COLVIK_FAULT(13)) fired.push_back(firing);
  if (reactions[index].reaction.call) reactions[index].reaction.call(world, firing);
}

template void Rules<2>::Impl::react(std::span<const Event<2>>);
template void Rules<3>::Impl::react(std::span<const Event<3>>);

template void Rules<2>::Impl::find_candidates(std::span<const Event<2>> events);
template void Rules<3>::Impl::find_candidates(std::span<const Event<3>> events);
template void Rules<2>::Impl::react_to_touches(std::size_t index, std::span<const Event<2>> events,
                                               std::size_t& at);
template void Rules<3>::Impl::react_to_touches(std::size_t index, std::span<const Event<3>> events,
                                               std::size_t& at);
template void Rules<2>::Impl::react_to_number(std::size_t index, const OnNumber& on);
template void Rules<3>::Impl::react_to_number(std::size_t index, const OnNumber& on);
template void Rules<2>::Impl::react_to_count(std::size_t index, const OnCount& on);
template void Rules<3>::Impl::react_to_count(std::size_t index, const OnCount& on);
template void Rules<2>::Impl::react_to_state(std::size_t index, const OnState& on);
template void Rules<3>::Impl::react_to_state(std::size_t index, const OnState& on);
template bool Rules<2>::Impl::is_due(std::size_t index);
template bool Rules<3>::Impl::is_due(std::size_t index);
template Refusal Rules<2>::Impl::held_back(std::size_t index, const Firing<2>& firing,
                                           std::size_t event);
template Refusal Rules<3>::Impl::held_back(std::size_t index, const Firing<3>& firing,
                                           std::size_t event);
template void Rules<2>::Impl::note_attempt(const Firing<2>& firing, const Refusal& by);
template void Rules<3>::Impl::note_attempt(const Firing<3>& firing, const Refusal& by);
template void Rules<2>::Impl::start(std::size_t index, Firing<2> firing, std::size_t event);
template void Rules<3>::Impl::start(std::size_t index, Firing<3> firing, std::size_t event);

}  // namespace colvik
