// Keeps of each two how far they came.
#include <algorithm>

#include "watch/watch_impl.h"

namespace colvik {

namespace {

Stage stage_of(DecidedBy by) {
  switch (by) {
    case DecidedBy::both_accept: return Stage::far;
    case DecidedBy::same_object: return Stage::same_object;
    case DecidedBy::relatives: return Stage::relatives;
    case DecidedBy::excepted: return Stage::excepted;
    case DecidedBy::both_static: return Stage::both_static;
    case DecidedBy::inactive: return Stage::hidden;
    case DecidedBy::switched_off: return Stage::switched_off;
    case DecidedBy::first_refuses: return Stage::first_refuses;
    default: return Stage::second_refuses;
  }
}

template <int D>
TagSet tags_of(const Object<D>& o) {
  TagSet tags = o.tags;
  for (const Collider<D>& c : o.colliders) tags = tags.merged(c.tags);
  return tags;
}

// Whether the first came further than the second, or as far and more nearly to the next stage.
template <int D>
bool is_further(const Progress<D>& a, const Progress<D>& b) {
  if (a.stage != b.stage) return a.stage > b.stage;
  switch (a.stage) {
    case Stage::far:
    case Stage::apart: return a.gap < b.gap;
    case Stage::slower:
    case Stage::softer:
    case Stage::another_side:
    case Stage::cooldown: return a.by.was > b.by.was;
    default: return false;
  }
}

// Whether a reaction is for two, whichever of them is self.
struct Facing {
  const std::string& name;
  const TagSet& tags;
};
bool is_for(const ReactionReport& r, const Facing& a, const Facing& b) {
  return (r.self.matches(a.name, a.tags) && r.other.matches(b.name, b.tags)) ||
         (r.self.matches(b.name, b.tags) && r.other.matches(a.name, a.tags));
}

template <int D>
std::optional<std::size_t> index_of(const Rules<D>& rules, std::string_view name) {
  for (std::size_t i = 0; i < rules.reports().size(); ++i)
    if (rules.reports()[i].name == name) return i;
  return std::nullopt;
}

}  // namespace

template <int D>
Result<void> Watch<D>::check(const World<D>& world, const Rules<D>& rules,
                             const WatchQuestion& question) {
  for (const std::string* text : {&question.first, &question.second})
    if (Result<Who> who = Who::parse(*text, world.tags()); !who) return who.error();
  if (question.reaction.empty() || index_of(rules, question.reaction)) return {};
  std::vector<std::string> names;
  for (const ReactionReport& r : rules.reports()) names.push_back(r.name);
  return Error{"reaction '" + question.reaction + "'", "is not there",
               suggestion(question.reaction, names, "the name of a reaction")};
}

template <int D>
Watch<D>::Watch(World<D>& world, Rules<D>& rules, const WatchQuestion& question)
    : impl_(std::make_unique<Impl>(world, rules)) {
  check(world, rules, question).value();
  Impl& w = *impl_;
  w.first = Who::parse(question.first, world.tags()).value();
  w.second = Who::parse(question.second, world.tags()).value();
  if (!question.reaction.empty()) w.reaction = index_of(rules, question.reaction);
  if (w.reaction) w.of_two = std::holds_alternative<OnTouch>(rules.reports()[*w.reaction].when);
  w.from = question.from;
  w.to = question.to;
  rules.ask_attempts();
  w.find_pairs();
  w.token =
      world.add_listener([&w](World<D>&, std::span<const Event<D>> events) { w.look(events); });
}

template <int D>
Watch<D>::~Watch() {
  impl_->world.remove_listener(impl_->token);
  impl_->rules.ask_attempts(false);
}

// Of those that are there now, also what came in this step.
template <int D>
void Watch<D>::Impl::find_pairs() {
  std::vector<std::pair<std::uint64_t, ObjectId>> firsts;
  std::vector<std::pair<std::uint64_t, ObjectId>> seconds;
  for (const ObjectId id : world.objects()) {
    const Object<D>& o = world.object(id);
    const TagSet tags = tags_of(o);
    if (first.matches(o.name, tags)) firsts.emplace_back(o.serial, id);
    if (second.matches(o.name, tags)) seconds.emplace_back(o.serial, id);
  }
  if (!of_two) {
    for (const auto& [serial, id] : firsts)
      if (of_one) note_pair({serial, 0}, id, id);
    return;
  }
  for (const auto& [serial_a, a] : firsts)
    for (const auto& [serial_b, b] : seconds) {
      // Of two that both match both, the older one is the first; one with itself only by its name.
      if (const auto turned = all.find({serial_b, serial_a});
          turned != all.end() && serial_a != serial_b) {
        turned->second.shown.meant = turned->second.shown.meant || are_meant(a, b);
        continue;
      }
      if (a == b && (first.object().empty() || first.object() != second.object())) continue;
      note_pair({serial_a, serial_b}, a, b);
    }
}

template <int D>
void Watch<D>::Impl::note_pair(const Serials& serials, ObjectId a, ObjectId b) {
  if (all.size() >= kMostPairs) {
    full = true;
    return;
  }
  const auto [at, fresh] = all.try_emplace(serials);
  at->second.shown.meant = (!fresh && at->second.shown.meant) || are_meant(a, b);
  if (!fresh) return;
  at->second.a = a;
  at->second.b = b;
  at->second.shown.first = world.object(a).name;
  if (of_two) at->second.shown.second = world.object(b).name;
}

// By the tags that they have now.
template <int D>
bool Watch<D>::Impl::are_meant(ObjectId a, ObjectId b) const {
  if (!reaction) return true;
  const ReactionReport& r = rules.reports()[*reaction];
  const Object<D>& first_one = world.object(a);
  const TagSet first_tags = tags_of(first_one);
  if (!of_two) return r.self.matches(first_one.name, first_tags);
  return is_for(r, {first_one.name, first_tags}, {world.object(b).name, tags_of(world.object(b))});
}

template <int D>
void Watch<D>::Impl::take(Two& two, Progress<D> progress) {
  if (!counts(progress.time)) return;
  progress.step = world.steps();
  WatchedPair<D>& shown = two.shown;
  const bool is_last = progress.stage == (reaction ? Stage::fired : Stage::touched);
  if (is_last) shown.since = {};
  else if (is_further(progress, shown.since)) shown.since = progress;
  if (is_further(progress, shown.furthest)) shown.furthest = std::move(progress);
}

// How far the two came, by what the step made of their colliders.
template <int D>
Progress<D> Watch<D>::Impl::progress(const Two& two) const {
  const Object<D>& a = world.object(two.a);
  const Object<D>& b = world.object(two.b);
  Progress<D> best;
  best.time = world.time();
  best.place = a.pose.position;
  best.stage = Stage::no_collider;
  // Poses within the step, where the two moved further than they are apart.
  const auto pose_at = [&](const Object<D>& o, double part) {
    const auto was = before.find(o.serial);
    if (was == before.end() || part >= 1) return o.pose;
    Pose<D> pose = o.pose;
    pose.position = was->second.position + (o.pose.position - was->second.position) * part;
    return pose;
  };
  for (std::size_t i = 0; i < a.colliders.size(); ++i)
    for (std::size_t k = 0; k < b.colliders.size(); ++k) {
      Progress<D> p = best;
      p.gap = std::numeric_limits<double>::infinity();
      p.first_collider = i;
      p.second_collider = k;
      const Verdict v = world.decide(two.a, i, two.b, k);
      p.stage = stage_of(v.by);
      p.channel = v.channel;
      if (v.meet) {
        const PairState state = world.pair_state(two.a, i, two.b, k);
        p.stage = state.passing ? Stage::one_way : state.near ? Stage::apart : Stage::far;
        const ColliderDef<D>& ca = a.colliders[i].def;
        const ColliderDef<D>& cb = b.colliders[k].def;
        const double known = two.shown.since.gap;
        for (int part = 1; part <= 4; ++part) {
          const Pose<D> at_a = pose_at(a, part / 4.0);
          const Pose<D> at_b = pose_at(b, part / 4.0);
          const double gap =
              gap_between(ca.shape, Pose<D>{ca.at, ca.turned}, cb.shape,
                          at_a.relative(at_b) * Pose<D>{cb.at, cb.turned}, std::min(known, p.gap));
          p.gap = std::min(p.gap, std::max(gap, 0.0));
        }
      } else if (p.stage >= best.stage && p.stage > two.shown.since.stage) {
        p.verdict =
            explain(v, world.party(two.a, i), a.name, world.party(two.b, k), b.name, world.tags());
      }
      if (is_further(p, best)) best = std::move(p);
    }
  return best;
}

template <int D>
void Watch<D>::Impl::see(Two& two) {
  if (!of_two || !world.alive(two.a) || !world.alive(two.b)) return;
  if (!two.shown.touches.empty() && !std::isfinite(two.shown.touches.back().end)) return;
  Progress<D> p = progress(two);
  if (!two.shown.touches.empty() && std::isfinite(p.gap))
    two.shown.touches.back().parted = std::max(two.shown.touches.back().parted, p.gap);
  take(two, std::move(p));
}

template <int D>
void Watch<D>::Impl::note_events(std::span<const Event<D>> events) {
  if (!of_two) return;
  for (const Event<D>& e : events) {
    const std::uint64_t self = world.object(e.self).serial;
    const std::uint64_t other = world.object(e.other).serial;
    auto at = all.find({self, other});
    if (at == all.end()) at = all.find({other, self});
    if (at == all.end() || e.phase == Phase::during) continue;
    Two& two = at->second;
    if (e.phase == Phase::begin)
      two.shown.touches.push_back(
          {e.time, std::numeric_limits<double>::infinity(), e.channel, e.approach_speed});
    else
      for (WatchedTouch& t : two.shown.touches)
        if (t.channel == e.channel && !std::isfinite(t.end)) {
          t.end = e.time;
          t.cause = e.why;
        }
    Progress<D> p;
    p.time = e.time;
    p.place = e.point;
    p.channel = e.channel;
    p.phase = e.phase;
    p.approach_speed = e.approach_speed;
    p.first_collider = e.self_collider;
    p.second_collider = e.other_collider;
    p.gap = 0;
    p.stage = Stage::touched;
    if (reaction) {
      if (is_for(rules.reports()[*reaction], {world.object(e.self).name, e.self_tags},
                 {world.object(e.other).name, e.other_tags}))
        continue;  // its attempts say more
      p.stage = Stage::not_meant;
    }
    take(two, std::move(p));
  }
}

template <int D>
void Watch<D>::Impl::note_attempts() {
  if (!reaction) return;
  for (const Attempt<D>& a : rules.attempts()) {
    if (a.reaction != *reaction) continue;
    const auto serial = [&](const std::optional<ObjectId>& id) {
      return id ? world.object(*id).serial : 0;
    };
    if (!of_two && !a.self) {  // of nobody: one row for all of it
      Two& two = all[{0, 0}];
      two.shown.first.clear();
      two.shown.second.clear();
    }
    auto at = all.find({serial(a.self), serial(a.other)});
    if (at == all.end()) at = all.find({serial(a.other), serial(a.self)});
    if (at == all.end()) continue;
    WatchedPair<D>& shown = at->second.shown;
    const double time = a.touch ? a.touch->time : a.time;
    if (a.by.stage == Stage::fired)
      (counts(a.time) ? shown.fired : shown.fired_outside).push_back(a.time);
    Progress<D> p;
    p.stage = a.by.stage;
    p.by = a.by;
    p.claimed_by = a.claimed_by;
    p.time = counts(a.time) ? std::clamp(time, from, to) : time;
    p.gap = 0;
    if (a.touch) {
      p.channel = a.touch->channel;
      p.phase = a.touch->phase;
      p.place = a.touch->point;
      p.approach_speed = a.touch->approach_speed;
    }
    take(at->second, std::move(p));
  }
}

template <int D>
void Watch<D>::Impl::look(std::span<const Event<D>> events) {
  find_pairs();
  note_events(events);
  note_attempts();
  for (auto& [serials, two] : all)
    if (serials.first != 0) see(two);
  for (auto& [serials, two] : all)
    for (const ObjectId id : {two.a, two.b})
      if (serials.first != 0 && world.alive(id))
        before[world.object(id).serial] = world.object(id).pose;
}

template <int D>
std::vector<WatchedPair<D>> Watch<D>::pairs() const {
  std::vector<WatchedPair<D>> list;
  for (const auto& [serials, two] : impl_->all) {
    list.push_back(two.shown);
    WatchedPair<D>& shown = list.back();
    const bool outside = impl_->reaction
                             ? !shown.fired_outside.empty()
                             : std::any_of(shown.touches.begin(), shown.touches.end(),
                                           [&](const auto& t) { return !impl_->counts(t.begin); });
    if (outside && shown.furthest.stage < Stage::another_time)
      shown.furthest.stage = Stage::another_time;
  }
  std::stable_sort(list.begin(), list.end(), [](const auto& x, const auto& y) {
    return x.meant != y.meant ? x.meant : is_further(x.furthest, y.furthest);
  });
  return list;
}

template <int D>
bool Watch<D>::all_watched() const {
  return !impl_->full;
}

template Result<void> Watch<2>::check(const World<2>& world, const Rules<2>& rules,
                                      const WatchQuestion& question);
template Result<void> Watch<3>::check(const World<3>& world, const Rules<3>& rules,
                                      const WatchQuestion& question);
template Watch<2>::Watch(World<2>& world, Rules<2>& rules, const WatchQuestion& question);
template Watch<3>::Watch(World<3>& world, Rules<3>& rules, const WatchQuestion& question);
template Watch<2>::~Watch();
template Watch<3>::~Watch();
template std::vector<WatchedPair<2>> Watch<2>::pairs() const;
template std::vector<WatchedPair<3>> Watch<3>::pairs() const;
template bool Watch<2>::all_watched() const;
template bool Watch<3>::all_watched() const;

}  // namespace colvik
