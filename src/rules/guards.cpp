// What holds a reaction back once it was started: how they touch, conditions, limits.
#include <algorithm>

#include "math/fault.h"
#include "rules/rules_impl.h"

namespace colvik {

using rules::Visit;

namespace {
constexpr std::size_t kManyVisits = 256;
}  // namespace

// The first thing about a touch that is not of the sort that a start requires.
template <int D>
Refusal Rules<D>::Impl::unfit(const OnTouch& on, const Event<D>& seen) const {
  if (on.channel && *on.channel != seen.channel) return {Stage::another_channel};
  if (seen.phase != on.phase) return {Stage::another_phase};
  if (seen.phase == Phase::end &&
      std::find(on.causes.begin(), on.causes.end(), seen.why) == on.causes.end())
    return {Stage::another_cause};
  if (seen.approach_speed < on.approach) return {Stage::slower, seen.approach_speed, on.approach};
  if (seen.impulse < on.impulse) return {Stage::softer, seen.impulse, on.impulse};
  if (on.from_side.isZero(0)) return {};
  Vec<D> side = rules::in_world<D>(on.from_side);
  if (on.own_side) side = own_direction(seen.self, side);
  const double along = -seen.normal.dot(side) / side.norm();  // the normal points at self
  return along >= std::sqrt(0.5) ? Refusal{} : Refusal{Stage::another_side, along, std::sqrt(0.5)};
}

template <int D>
bool Rules<D>::Impl::is_in(ObjectId id, State state) const {
  const Object<D>& o = world.object(id);
  switch (state) {
    case State::shown: return o.active;
    case State::asleep: return o.asleep;
    case State::moving: return !o.velocity.isZero(0) || !o.spin.isZero(0);
    case State::attached: return o.parent.has_value();
    case State::mirrored: return o.mirrored;
    default: {
      const Walking<D>* w = world.walking(id);
      return w != nullptr && w->standing;
    }
  }
}

template <int D>
std::uint64_t Rules<D>::Impl::count_of(const TagQuery& query) const {
  std::uint64_t n = 0;
  for (const ObjectId id : world.objects()) {
    const Object<D>& o = world.object(id);
    n += o.active && query.matches(o.tags) ? 1 : 0;
  }
  return n;
}

template <int D>
std::optional<double> Rules<D>::Impl::value_of(const rules::NumberName& n,
                                               const rules::Moment<D>& m) const {
  using Whose = rules::NumberName::Whose;
  if (n.whose == Whose::world) return world.number({}, n.name);
  std::optional<ObjectId> of = n.whose == Whose::self ? m.self : m.other;
  if (n.whose == Whose::object) of = world.find(n.object);
  return of ? world.number({*of}, n.name) : std::nullopt;
}

template <int D>
bool Rules<D>::Impl::holds(const rules::CompiledCondition& c, const Firing<D>& f) const {
  const std::optional<ObjectId> side = c.condition.side == Side::self ? f.self : f.other;
  const auto in_range = [&](double x) { return x >= c.condition.least && x <= c.condition.most; };
  switch (c.condition.kind) {
    case Condition::Kind::touches: {
      const std::vector<ObjectId> all = world.touching(*side);
      return std::any_of(all.begin(), all.end(), [&](ObjectId id) {
        const Object<D>& o = world.object(id);
        return c.who.matches(o.name, o.tags);
      });
    }
    case Condition::Kind::is: {
      const Object<D>& o = world.object(*side);
      TagSet tags = o.tags;
      if (f.touch)
        tags =
            tags.merged(c.condition.side == Side::self ? f.touch->self_tags : f.touch->other_tags);
      return c.who.matches(o.name, tags);
    }
    case Condition::Kind::number: {
      const std::optional<double> value = value_of(c.number, rules::moment_of(f));
      return value && in_range(*value);
    }
    case Condition::Kind::state: return is_in(*side, c.condition.state);
    default: return in_range(static_cast<double>(count_of(c.who.query())));
  }
}

// Of a condition on a number or a count: what it is; else 0.
template <int D>
double Rules<D>::Impl::value_in(const rules::CompiledCondition& c, const Firing<D>& f) const {
  if (c.condition.kind == Condition::Kind::count)
    return static_cast<double>(count_of(c.who.query()));
  if (c.condition.kind != Condition::Kind::number) return 0;
  return value_of(c.number, rules::moment_of(f)).value_or(0);
}

// The first condition that keeps it from firing; of `any`, of which none held, the first of them.
template <int D>
Refusal Rules<D>::Impl::failing(const rules::Compiled<D>& r, const Firing<D>& f) const {
  const auto refusal = [&](const rules::CompiledCondition& c, std::size_t at) {
    const double was = value_in(c, f);
    return Refusal{Stage::condition, was,
                   was < c.condition.least ? c.condition.least : c.condition.most, at};
  };
  for (std::size_t i = 0; i < r.all.size(); ++i)
    if (!holds(r.all[i], f)) return refusal(r.all[i], i);
  if (!r.any.empty() &&
      std::none_of(r.any.begin(), r.any.end(), [&](const auto& c) { return holds(c, f); }))
    return refusal(r.any[0], r.all.size());
  for (std::size_t i = 0; i < r.none.size(); ++i)
    if (holds(r.none[i], f)) return refusal(r.none[i], r.all.size() + r.any.size() + i);
  return {};
}

// Notes that two came or went. A visit is over when they were apart long enough before the next
// touch.
template <int D>
void Rules<D>::Impl::note_visit(rules::Compiled<D>& r, const Event<D>& e) {
  if (e.phase == Phase::during) return;
  const rules::Serials two{world.object(e.self).serial, world.object(e.other).serial};
  if (e.phase == Phase::end) {
    const auto at = r.visits.find(two);
    if (at == r.visits.end()) return;
    at->second.open = std::max(0, at->second.open - 1);
    at->second.ended = e.time;
    return;
  }
  if (r.visits.size() >= kManyVisits)  // those that are over say no more than new ones would
    std::erase_if(r.visits, [&](const auto& known) {
      return known.second.open == 0 && e.time - known.second.ended >= r.reaction.apart;
    });
  Visit& v = r.visits[two];
  if (v.open == 0 && e.time - v.ended >= r.reaction.apart) v.fired = {};
  ++v.open;
}

// The one or two for whom its limits count.
template <int D>
rules::Serials Rules<D>::Impl::limited_for(const rules::Compiled<D>& r, const Firing<D>& f) const {
  if (r.reaction.limits == Limits::in_all) return {0, 0};
  return {serial_of(f.self), r.reaction.limits == Limits::per_pair ? serial_of(f.other) : 0};
}

template <int D>
void Rules<D>::Impl::note_limited(rules::Compiled<D>& r, const Firing<D>& f) {
  if (!r.reaction.most && r.reaction.cooldown <= 0) return;
  constexpr std::size_t kMany = 256;
  const auto is_over = [&](const auto& known) {
    return world.time() - known.second.last >= r.reaction.cooldown;
  };
  if (!r.reaction.most && r.limited.size() >= kMany) std::erase_if(r.limited, is_over);
  rules::Limited& limited = r.limited[limited_for(r, f)];
  ++limited.fired;
  limited.last = world.time();
}

// The limit that holds it back; if none does, sets its latch.
template <int D>
Refusal Rules<D>::Impl::limit(std::size_t index, const Firing<D>& f) {
  rules::Compiled<D>& r = reactions[index];
  if (const auto known = r.limited.find(limited_for(r, f)); known != r.limited.end()) {
    if (r.reaction.most && known->second.fired >= *r.reaction.most)
      return {Stage::most, static_cast<double>(known->second.fired),
              static_cast<double>(*r.reaction.most)};
    const double since = f.time - known->second.last;
    if (since < r.reaction.cooldown - 1e-9 && !COLVIK_FAULT(14))
      return {Stage::cooldown, since, r.reaction.cooldown};
  }
  const std::uint64_t self = serial_of(f.self);
  const std::uint64_t other = serial_of(f.other);
  bool fresh = true;
  switch (r.reaction.once) {
    case Once::no: break;
    case Once::ever: fresh = r.seen.emplace(0, 0).second; break;
    case Once::per_other: fresh = r.seen.emplace(self, other).second; break;
    default:
      Visit& v = r.visits[{std::min(self, other), std::max(self, other)}];
      fresh = COLVIK_FAULT(15) || !std::exchange(v.fired[self < other ? 0 : 1], true);
  }
  return {fresh ? Stage::fired : Stage::already};
}

template <int D>
bool Rules<D>::Impl::may_start(ObjectId id, std::size_t event) const {
  if (!world.object(id).going) return true;
  for (const auto& [object, by] : going_by)
    if (object == id) return by == event;
  return false;
}

template Refusal Rules<2>::Impl::unfit(const OnTouch& on, const Event<2>& seen) const;
template Refusal Rules<3>::Impl::unfit(const OnTouch& on, const Event<3>& seen) const;
template bool Rules<2>::Impl::is_in(ObjectId id, State state) const;
template bool Rules<3>::Impl::is_in(ObjectId id, State state) const;
template std::uint64_t Rules<2>::Impl::count_of(const TagQuery& query) const;
template std::uint64_t Rules<3>::Impl::count_of(const TagQuery& query) const;
template std::optional<double> Rules<2>::Impl::value_of(const rules::NumberName& n,
                                                        const rules::Moment<2>& m) const;
template std::optional<double> Rules<3>::Impl::value_of(const rules::NumberName& n,
                                                        const rules::Moment<3>& m) const;
template bool Rules<2>::Impl::holds(const rules::CompiledCondition& c, const Firing<2>& f) const;
template bool Rules<3>::Impl::holds(const rules::CompiledCondition& c, const Firing<3>& f) const;
template double Rules<2>::Impl::value_in(const rules::CompiledCondition& c,
                                         const Firing<2>& f) const;
template double Rules<3>::Impl::value_in(const rules::CompiledCondition& c,
                                         const Firing<3>& f) const;
template Refusal Rules<2>::Impl::failing(const rules::Compiled<2>& r, const Firing<2>& f) const;
template Refusal Rules<3>::Impl::failing(const rules::Compiled<3>& r, const Firing<3>& f) const;
template void Rules<2>::Impl::note_visit(rules::Compiled<2>& r, const Event<2>& e);
template void Rules<3>::Impl::note_visit(rules::Compiled<3>& r, const Event<3>& e);
template void Rules<2>::Impl::note_limited(rules::Compiled<2>& r, const Firing<2>& f);
template void Rules<3>::Impl::note_limited(rules::Compiled<3>& r, const Firing<3>& f);
template Refusal Rules<2>::Impl::limit(std::size_t index, const Firing<2>& f);
template Refusal Rules<3>::Impl::limit(std::size_t index, const Firing<3>& f);
template bool Rules<2>::Impl::may_start(ObjectId id, std::size_t event) const;
template bool Rules<3>::Impl::may_start(ObjectId id, std::size_t event) const;

}  // namespace colvik
