#include <colvik/trace.hpp>

#include <algorithm>

#include "math/fault.h"
#include "math/hash.h"

namespace colvik {

template <int D>
std::uint64_t state_hash(const World<D>& world, const Rules<D>& rules) {
  math::Hasher h;
  h.add(world.hash());
  h.add(rules.hash());
  return h.value();
}
template std::uint64_t state_hash(const World<2>&, const Rules<2>&);
template std::uint64_t state_hash(const World<3>&, const Rules<3>&);

template <int D>
void Trace<D>::start(const World<D>& world, const Rules<D>& rules) {
  *this = Trace{};
  rate_ = world.settings().rate;
  kinds_ = world.kinds();
  metre_ = world.settings().metre;
  gravity_ = world.settings().gravity;
  record(world, rules);
}

template <int D>
void Trace<D>::go_on() {
  before_ = steps_;
  ++restarts_;
  for (TraceObject<D>& t : objects_) t.gone = std::min(t.gone, steps_);
  by_slot_.clear();  // all are noted as new ones of the same names
}

template <int D>
void Trace<D>::record(const World<D>& world, const Rules<D>& rules) {
  steps_ = before_ + world.steps();
  tags_ = world.tags();
  note_objects(world, rules);

  const double earlier = static_cast<double>(before_) / rate_;
  for (const Event<D>& e : world.events()) {
    touch_places_.push_back({e.point, e.normal});
    touches_.push_back({before_ + e.step, earlier + e.time, e.phase, e.channel, e.why,
                        index_of(world, e.self), index_of(world, e.other), e.self_tags,
                        e.other_tags, e.approach_speed, e.impulse, e.again, e.self_collider,
                        e.other_collider});
  }
  for (const Firing<D>& f : rules.fired()) {
    TraceFiring<D> t;
    t.step = before_ + f.step;
    t.time = earlier + f.time;
    t.reaction = f.reaction;
    if (f.self) {
      t.self = index_of(world, *f.self);
      t.self_tags = objects_[t.self].tags;
    }
    if (f.other) t.other = index_of(world, *f.other);
    if (f.touch) {
      t.place = f.touch->point;
      t.self_tags = f.touch->self_tags;
      t.other_tags = f.touch->other_tags;
    } else if (f.self) t.place = world.object(*f.self).pose.position;
    firings_.push_back(std::move(t));
  }
  for (const Withheld& w : rules.withheld()) {
    TraceWithheld t{before_ + w.step, earlier + w.time, w.reaction, w.claimed_by};
    if (w.self) t.self = index_of(world, *w.self);
    if (w.other) t.other = index_of(world, *w.other);
    withheld_.push_back(t);
  }
  reactions_.assign(rules.reports().begin(), rules.reports().end());
  numbers_.assign(world.numbers().begin(), world.numbers().end());
  note_numbers(kNobody, numbers_);
  left_ = world.left_count();
  outcome_ = rules.outcome();
  live_ = world.count();
  peak_ = std::max(peak_, live_);
  if (world.finished()) hash_ = state_hash(world, rules);
}

// The entry of an object as it is now: of those that are there, and of those removed in this step.
template <int D>
std::uint32_t Trace<D>::note_object(const World<D>& world, ObjectId id) {
  const Object<D>& o = world.object(id);
  if (id.slot >= by_slot_.size()) by_slot_.resize(id.slot + 1, kNobody);
  std::uint32_t& index = by_slot_[id.slot];
  const bool fresh = index == kNobody || ids_[index] != id;
  if (fresh) {
    index = static_cast<std::uint32_t>(objects_.size());
    TraceObject<D>& t = objects_.emplace_back();
    t.name = o.name;
    t.kind = o.kind;
    t.body = o.body;
    t.first_pose = o.pose;
    t.born = steps_;
    ids_.push_back(id);
    samples_.emplace_back();
    walk_samples_.emplace_back();
    tag_samples_.emplace_back();
    collider_changes_.emplace_back();
    colliders_now_.emplace_back(o.colliders.size(), std::pair(true, 1.0));
  }
  TraceObject<D>& t = objects_[index];
  std::vector<Sample>& samples = samples_[index];
  const bool moved = samples.empty() || samples.back().shown != o.active ||
                     samples.back().asleep != o.asleep ||
                     samples.back().pose.position != o.pose.position ||
                     samples.back().pose.rotation.axis(0) != o.pose.rotation.axis(0) ||
                     samples.back().pose.rotation.axis(1) != o.pose.rotation.axis(1);
  if (moved) samples.push_back({steps_, o.active, o.asleep, o.pose});
  if (fresh || !(t.tags == o.tags) || t.mirrored != o.mirrored) {
    t.mirrored = o.mirrored;
    t.drawings = o.drawings;
    t.tags = o.tags;
    t.parties.clear();
    t.colliders.clear();
    for (std::size_t i = 0; i < o.colliders.size(); ++i) {
      t.parties.push_back(world.party(id, i));
      t.colliders.push_back(o.colliders[i].def);
    }
  }
  note_colliders(o, index);
  if (tag_samples_[index].empty() || !(tag_samples_[index].back().second == o.tags))
    tag_samples_[index].emplace_back(steps_, o.tags);
  t.active = o.active;
  note_walking(world, index);
  if (t.numbers.size() != o.numbers.size() ||
      !std::equal(t.numbers.begin(), t.numbers.end(), o.numbers.begin(),
                  [](const Number& x, const Number& y) { return x.value == y.value; })) {
    t.numbers = o.numbers;
    note_numbers(index, t.numbers);
  }
  return index;
}

template <int D>
void Trace<D>::note_colliders(const Object<D>& now, std::uint32_t object) {
  TraceObject<D>& t = objects_[object];
  for (std::size_t i = 0; i < t.colliders.size(); ++i) {
    const Collider<D>& c = now.colliders[i];
    const auto before = std::exchange(colliders_now_[object][i], std::pair(c.def.on, c.scale));
    if (before == colliders_now_[object][i]) continue;
    collider_changes_[object].push_back({steps_, static_cast<std::uint32_t>(i), c.def.on, c.scale});
    t.colliders[i].on = t.parties[i].on = c.def.on;
    t.colliders[i].shape = c.def.shape;
  }
}

template <int D>
void Trace<D>::note_objects(const World<D>& world, const Rules<D>& rules) {
  world.objects(there_);
  for (const ObjectId id : there_) note_object(world, id);
  for (std::size_t i = 0; i < ids_.size(); ++i)
    if (objects_[i].gone == kNever && !world.alive(ids_[i])) {
      objects_[i].gone = steps_;
      objects_[i].remover = rules.remover(ids_[i]);
    }
}

// What came and was removed between two records has its entry made now.
template <int D>
std::uint32_t Trace<D>::index_of(const World<D>& world, ObjectId id) {
  if (id.slot < by_slot_.size() && by_slot_[id.slot] != kNobody && ids_[by_slot_[id.slot]] == id)
    return by_slot_[id.slot];
  const std::uint32_t index = note_object(world, id);
  if (!world.alive(id)) objects_[index].gone = steps_;
  return index;
}

template <int D>
auto Trace<D>::sample_at(std::uint32_t object, std::uint64_t step) const -> const Sample* {
  const TraceObject<D>& t = objects_[object];
  if (step < t.born || step >= t.gone) return nullptr;
  const std::vector<Sample>& samples = samples_[object];
  const auto after = std::upper_bound(samples.begin(), samples.end(), step,
                                      [](std::uint64_t s, const Sample& x) { return s < x.step; });
  if (after == samples.begin()) return nullptr;
  const bool late = COLVIK_FAULT(21) && after - samples.begin() > 1;
  const Sample& s = *(after - (late ? 2 : 1));
  return s.shown ? &s : nullptr;
}

template <int D>
std::optional<Pose<D>> Trace<D>::pose_at(std::uint32_t object, std::uint64_t step) const {
  const Sample* const s = sample_at(object, step);
  return s != nullptr ? std::optional<Pose<D>>(s->pose) : std::nullopt;
}

template <int D>
bool Trace<D>::asleep_at(std::uint32_t object, std::uint64_t step) const {
  const Sample* const s = sample_at(object, step);
  return s != nullptr && s->asleep;
}

template <int D>
TraceColliderChange Trace<D>::collider_state_at(std::uint32_t object, std::size_t collider,
                                                std::uint64_t step) const {
  TraceColliderChange state;
  state.collider = static_cast<std::uint32_t>(collider);
  for (const TraceColliderChange& c : collider_changes_[object]) {
    if (c.step > step) break;
    if (c.collider == collider) state = c;
  }
  return state;
}

template <int D>
ColliderDef<D> Trace<D>::collider_at(std::uint32_t object, std::size_t collider,
                                     std::uint64_t step) const {
  ColliderDef<D> c = objects_[object].colliders[collider];
  const TraceColliderChange then = collider_state_at(object, collider, step);
  const TraceColliderChange last = collider_state_at(object, collider, kNever);
  if (then.scale != last.scale) c.shape = scaled(c.shape, then.scale / last.scale);
  c.on = then.on;
  return c;
}

template <int D>
void Trace<D>::note_walking(const World<D>& world, std::uint32_t object) {
  const Walking<D>* w = world.walking(ids_[object]);
  if (w == nullptr) return;
  std::vector<WalkSample>& samples = walk_samples_[object];
  WalkSample now;
  now.step = steps_;
  now.standing = w->standing;
  if (w->standing && world.alive(w->on)) now.on = index_of(world, w->on);
  const double height = world.object(ids_[object]).pose.position.dot(w->up);
  now.highest = w->standing ? height : w->highest;
  if (steps_ == before_) now.highest = -1e300;  // it has not moved yet: up is not known
  if (!samples.empty()) now.highest = std::max(now.highest, samples.back().highest);
  if (samples.empty() || samples.back().standing != now.standing || samples.back().on != now.on ||
      samples.back().highest != now.highest)
    samples.push_back(now);
}

template <int D>
auto Trace<D>::walking_at(std::uint32_t object, std::uint64_t step) const
    -> std::optional<WalkSample> {
  const std::vector<WalkSample>& samples = walk_samples_[object];
  const auto after =
      std::upper_bound(samples.begin(), samples.end(), step,
                       [](std::uint64_t s, const WalkSample& x) { return s < x.step; });
  return after == samples.begin() ? std::nullopt : std::optional<WalkSample>(*(after - 1));
}

template <int D>
void Trace<D>::note_numbers(std::uint32_t object, std::span<const Number> numbers) {
  for (const Number& n : numbers) {
    std::vector<NumberSample>& samples = number_samples_[{object, n.name}];
    if (samples.empty() || samples.back().value != n.value) samples.push_back({steps_, n.value});
  }
}

template <int D>
std::optional<double> Trace<D>::number_at(std::uint32_t object, std::string_view name,
                                          std::uint64_t step) const {
  const auto at = number_samples_.find({object, std::string(name)});
  if (at == number_samples_.end()) return std::nullopt;
  const auto after =
      std::upper_bound(at->second.begin(), at->second.end(), step,
                       [](std::uint64_t s, const NumberSample& x) { return s < x.step; });
  return after == at->second.begin() ? std::nullopt : std::optional<double>((after - 1)->value);
}

template <int D>
std::optional<std::pair<double, double>> Trace<D>::number_range(std::uint32_t object,
                                                                std::string_view name) const {
  const auto at = number_samples_.find({object, std::string(name)});
  if (at == number_samples_.end()) return std::nullopt;
  std::pair<double, double> range{at->second[0].value, at->second[0].value};
  for (const NumberSample& s : at->second)
    range = {std::min(range.first, s.value), std::max(range.second, s.value)};
  return range;
}

template <int D>
std::vector<TraceNumber> Trace<D>::number_changes() const {
  std::vector<TraceNumber> all;
  for (const auto& [whose, samples] : number_samples_)
    for (std::size_t k = 0; k < samples.size(); ++k)
      all.push_back({samples[k].step, whose.first, whose.second, samples[k].value,
                     k > 0 ? std::optional(samples[k - 1].value) : std::nullopt});
  std::stable_sort(all.begin(), all.end(), [](const TraceNumber& x, const TraceNumber& y) {
    return std::pair(x.step, x.object) < std::pair(y.step, y.object);
  });
  return all;
}

template <int D>
TagSet Trace<D>::tags_at(std::uint32_t object, std::uint64_t step) const {
  TagSet tags;
  for (const auto& [from, set] : tag_samples_[object])
    if (from <= step) tags = set;
  return tags;
}

template <int D>
std::uint32_t Trace<D>::find(std::string_view name) const {
  for (std::size_t i = objects_.size(); i-- > 0;)
    if (objects_[i].name == name) return static_cast<std::uint32_t>(i);
  return kNobody;
}

template class Trace<2>;
template class Trace<3>;

}  // namespace colvik
