#include "recording/trace_maker.h"

#include <colvik/saved.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

namespace colvik {

using recording::bytes_of;
using recording::finite;
using recording::kBentFrom;
using recording::named;
using recording::positive;
using recording::scale;
using recording::Wrong;

template <int D>
void TraceMaker<D>::head(const Json& line) {
  Trace<D>& t = trace();
  t.rate_ = positive(line.at("rate"));
  t.metre_ = positive(line.at("metre"));
  unit_ = positive(line.at("unit"));
  turn_unit_ = positive(line.at("turn_unit"));
  t.gravity_ = vector(line.at("gravity"));
  t.kinds_ = line.at("kinds").template get<std::vector<std::string>>();
  made.about.title = line.at("title").get<std::string>();
  made.about.length = finite(line.at("length"));
  made.since = finite(line.at("since"));
  if (line.contains("view"))
    made.about.view = Bounds<D>{vector(line["view"].at(0)), vector(line["view"].at(1))};
}

template <int D>
void TraceMaker<D>::names(const Json& line) {
  Trace<D>& t = trace();
  for (const Json& tag : line.at("tags"))
    if (const auto declared =
            t.tags_.declare(tag.at(0).get<std::string>(), tag.at(1).get<std::string>());
        !declared)
      throw Wrong{declared.error().what, declared.error().accepted};
  for (const Json& item : line.at("reactions")) {
    ReactionReport r;
    r.name = item.at("name").get<std::string>();
    for (const auto& [key, who] : {std::pair{"self", &r.self}, std::pair{"other", &r.other}}) {
      Result<Who> read = Who::parse(item.at(key).template get<std::string>(), t.tags_);
      if (!read) throw Wrong{read.error().what, read.error().accepted};
      *who = std::move(read).value();
    }
    if (item.contains("touch")) {
      OnTouch touch;
      touch.phase = named(item["touch"], Phase::end);
      if (item.contains("channel")) touch.channel = named(item["channel"], Channel::zone);
      r.when = touch;
    } else {
      r.when = OnStart{};
    }
    t.reactions_.push_back(std::move(r));
  }
}

template <int D>
void TraceMaker<D>::describe(const Json& line) {
  Known& k = known_[line.at("object").get<std::uint32_t>()];
  if (k.index == kNobody) {
    k.description = line;
    return;
  }
  TraceObject<D>& o = trace().objects_[k.index];
  const std::size_t before = o.colliders.size();
  fill(k, o, line);
  if (o.colliders.size() != before)
    throw Wrong{fmt::format("describes {} colliders of {}", o.colliders.size(), before),
                "as many as before"};
  for (std::size_t i = 0; i < before; ++i)
    o.colliders[i].on = o.parties[i].on = trace().is_on(k.index, i, kNever);
  tag_parties(o);
}

template <int D>
void TraceMaker<D>::fill(Known& k, TraceObject<D>& o, const Json& d) {
  const auto colliders =
      load_colliders<D>(bytes_of(d.at("colliders").get_ref<const std::string&>()));
  if (!colliders)
    throw Wrong{"its colliders: " + colliders.error().what, colliders.error().accepted};
  o.name = d.at("name").get<std::string>();
  o.kind = d.at("kind").get<std::string>();
  o.body = named(d.at("body"), BodyKind::dynamic);
  o.mirrored = d.at("mirrored").get<bool>();
  o.colliders = colliders.value();
  k.shapes.clear();
  const Json scales = d.value("scales", Json::array());
  for (std::size_t i = 0; i < o.colliders.size(); ++i)
    k.shapes.emplace_back(o.colliders[i].shape, i < scales.size() ? scale(scales[i]) : 1);
  o.drawings.clear();
  for (const Json& drawing : d.value("drawings", Json::array()))
    o.drawings.push_back({vector(drawing.at("size")), drawing.at("picture").get<std::string>(),
                          vector(drawing.at("at"))});
  o.parties.clear();
  for (const ColliderDef<D>& c : o.colliders) {
    Party party;
    Result<TagQuery> meets = TagQuery::parse(c.meets, trace().tags_);
    if (!meets) throw Wrong{meets.error().what, meets.error().accepted};
    party.meets = std::move(meets).value();
    party.body = o.body;
    party.zone = c.zone;
    party.on = c.on;
    party.object = d.at("serial").get<std::uint64_t>();
    party.family = d.at("family").get<std::uint64_t>();
    party.meets_relatives = d.value("meets_relatives", false);
    o.parties.push_back(std::move(party));
  }
}

template <int D>
void TraceMaker<D>::step(const Json& line) {
  Trace<D>& t = trace();
  const auto now = line.at("step").get<std::uint64_t>();
  if (now > std::uint64_t{1} << 53) throw Wrong{"has a step beyond all runs", "up to 2^53"};
  if (!begun) first_step = now;
  begun = true;
  if (now < first_step + t.steps_)
    throw Wrong{fmt::format("is step {} after step {}", now, first_step + t.steps_),
                "steps in order"};
  t.steps_ = now - first_step;
  const auto each = [&](const char* key, auto&& act) {
    if (const auto list = line.find(key); list != line.end())
      for (const Json& item : *list) act(item);
  };
  each("objects", [&](const Json& x) { first(x); });
  if (line.contains("moved")) moved(line["moved"]);
  const auto latest = [&](std::uint32_t object) -> const typename Trace<D>::Sample& {
    return t.samples_[object].back();
  };
  each("shown", [&](const Json& x) {
    const std::uint32_t object = there(x.at(0)).index;
    sample(object, x.at(1).get<int>() != 0, latest(object).asleep, latest(object).pose);
    t.objects_[object].active = latest(object).shown;
  });
  each("asleep", [&](const Json& x) {
    const std::uint32_t object = there(x.at(0)).index;
    sample(object, latest(object).shown, x.at(1).get<int>() != 0, latest(object).pose);
  });
  each("changed", [&](const Json& x) { collider(x); });
  each("tags", [&](const Json& x) { retag(there(x.at(0)).index, tags(x.at(1))); });
  each("numbers", [&](const Json& x) { number(x); });
  each("walkers", [&](const Json& x) { walker(x); });
  each("gone", [&](const Json& x) { gone(x); });
  each("touches", [&](const Json& x) { touch(x); });
  each("fired", [&](const Json& x) { firing(x); });
  each("withheld", [&](const Json& x) {
    TraceWithheld w{t.steps_, time(x.at(0)), reaction(x.at(1)), {}};
    if (x.at(2).get<int>() >= 0) w.claimed_by = reaction(x.at(2));
    w.self = index(x.at(3));
    w.other = index(x.at(4));
    t.withheld_.push_back(w);
  });
  if (line.contains("outcome")) t.outcome_ = line["outcome"].get<std::string>();
  t.live_ = static_cast<std::size_t>(
      std::count_if(t.objects_.begin(), t.objects_.end(),
                    [](const TraceObject<D>& o) { return o.gone == kNever; }));
  t.peak_ = std::max(t.peak_, t.live_);
}

template <int D>
void TraceMaker<D>::begin_again() {
  ++trace().restarts_;
  for (TraceObject<D>& o : trace().objects_) o.gone = std::min(o.gone, trace().steps_);
}

template <int D>
void TraceMaker<D>::end(const Json& line) {
  Trace<D>& t = trace();
  const std::string hash = line.at("hash").get<std::string>();
  std::from_chars(hash.data(), hash.data() + hash.size(), t.hash_, 16);
  t.left_ = line.at("left").get<std::size_t>();
  t.peak_ = line.at("peak").get<std::size_t>();
  const Json& counts = line.at("counts");
  if (counts.size() != t.reactions_.size())
    throw Wrong{fmt::format("counts {} reactions of {}", counts.size(), t.reactions_.size()),
                "a count for each"};
  for (std::size_t i = 0; i < counts.size(); ++i) {
    ReactionReport& r = t.reactions_[i];
    r.fired = counts[i].at(0).get<std::uint64_t>();
    r.idle_effects = counts[i].at(1).get<std::uint64_t>();
    r.stopped_going = counts[i].at(2).get<std::uint64_t>();
    r.stopped_off = counts[i].at(3).get<std::uint64_t>();
    r.stopped_guard = counts[i].at(4).get<std::uint64_t>();
    r.stopped_limit = counts[i].at(5).get<std::uint64_t>();
  }
  for (const Json& j : line.at("expected")) {
    Judged v{j.at("text").get<std::string>(),
             j.at("met").get<bool>(),
             j.at("why").get<std::string>(),
             j.at("reaction").get<std::string>(),
             finite(j.at("from")),
             std::numeric_limits<double>::infinity()};
    if (j.contains("to")) v.to = finite(j["to"]);
    made.verdicts.push_back(std::move(v));
  }
  ended = true;
}

// ---- what lines refer to ---------------------------------------------------------------------

template <int D>
auto TraceMaker<D>::known(std::int64_t number) -> Known& {
  const auto at = number < 0 || number > std::int64_t{kNobody}
                      ? known_.end()
                      : known_.find(static_cast<std::uint32_t>(number));
  if (at == known_.end())
    throw Wrong{fmt::format("names object {}", number),
                "the number of an object that was described before"};
  return at->second;
}

template <int D>
auto TraceMaker<D>::there(std::int64_t number) -> Known& {
  Known& k = known(number);
  if (k.index == kNobody)
    throw Wrong{fmt::format("names object {}, which is not there", number),
                "one of the objects listed so far"};
  return k;
}

template <int D>
std::uint32_t TraceMaker<D>::index(std::int64_t number) {
  return number < 0 ? kNobody : there(number).index;
}

template <int D>
std::size_t TraceMaker<D>::reaction(const Json& number) {
  const auto i = number.get<std::int64_t>();
  if (i < 0 || static_cast<std::size_t>(i) >= trace().reactions_.size())
    throw Wrong{fmt::format("names reaction {} of {}", i, trace().reactions_.size()),
                "one of them, counted from 0"};
  return static_cast<std::size_t>(i);
}

template <int D>
double TraceMaker<D>::time(const Json& seconds) const {
  return std::max(0.0, finite(seconds) - static_cast<double>(first_step) / made.trace.rate_);
}

template <int D>
TagSet TraceMaker<D>::tags(const Json& list) {
  TagSet set;
  for (const Json& i : list) {
    const auto tag = i.get<std::uint32_t>();
    if (tag >= trace().tags_.names().size())
      throw Wrong{fmt::format("names tag {} of {}", tag, trace().tags_.names().size()),
                  "one of them, counted from 0"};
    set.insert({tag});
  }
  return set;
}

template <int D>
Vec<D> TraceMaker<D>::vector(const Json& list) {
  Vec<D> v = kZero;
  if (list.size() != D)
    throw Wrong{fmt::format("has {} coordinates", list.size()), fmt::format("{}", D)};
  for (int k = 0; k < D; ++k) v[k] = finite(list[static_cast<std::size_t>(k)]);
  return v;
}

template <int D>
Pose<D> TraceMaker<D>::pose(const Known& k) const {
  Pose<D> p;
  for (int i = 0; i < D; ++i)
    p.position[i] = static_cast<double>(k.at[static_cast<std::size_t>(i)]) * unit_;
  if constexpr (D == 2) {
    p.rotation = Rotation<2>(static_cast<double>(k.at[2]) * turn_unit_);
  } else {
    std::array<double, 4> q{};
    for (std::size_t i = 0; i < 4; ++i) q[i] = static_cast<double>(k.at[3 + i]) * turn_unit_;
    p.rotation = Rotation<3>::from_quaternion(q[3], q[0], q[1], q[2]);
  }
  return p;
}

template <int D>
void TraceMaker<D>::sample(std::uint32_t object, bool shown, bool asleep, const Pose<D>& pose) {
  auto& samples = trace().samples_[object];
  const std::uint64_t now = trace().steps_;
  if (!samples.empty() && samples.back().step == now) samples.back() = {now, shown, asleep, pose};
  else samples.push_back({now, shown, asleep, pose});
}

// ---- what happened ---------------------------------------------------------------------------

template <int D>
void TraceMaker<D>::first(const Json& item) {
  Trace<D>& t = trace();
  Known& k = known(item.at(0));
  if (item.size() != 4 + kParts)
    throw Wrong{fmt::format("has an object with {} values", item.size()),
                fmt::format("{}", 4 + kParts)};
  const std::array<std::int64_t, kParts> before = k.at;
  for (std::size_t i = 0; i < kParts; ++i) k.at[i] = item[4 + i].get<std::int64_t>();
  k.rate = k.bend = {};
  k.moved_at = kNever;
  const bool shown = item[1].get<int>() != 0;
  const bool asleep = item[2].get<int>() != 0;
  const TagSet set = tags(item[3]);
  const bool fresh = k.index == kNobody;
  if (fresh) {
    k.index = static_cast<std::uint32_t>(t.objects_.size());
    TraceObject<D>& o = t.objects_.emplace_back();
    t.samples_.emplace_back();
    t.walk_samples_.emplace_back();
    t.tag_samples_.emplace_back();
    t.collider_changes_.emplace_back();
    fill(k, o, k.description);
    k.description = {};
    o.born = t.steps_;
    o.first_pose = pose(k);
    for (std::uint32_t i = 0; i < o.colliders.size(); ++i)
      change(k.index, {t.steps_, i, o.colliders[i].on, k.shapes[i].second});
  }
  const auto& samples = t.samples_[k.index];
  if (samples.empty() || k.at != before || samples.back().shown != shown ||
      samples.back().asleep != asleep)
    sample(k.index, shown, asleep, pose(k));
  t.objects_[k.index].active = shown;
  if (fresh || !(t.objects_[k.index].tags == set)) retag(k.index, set);
}

template <int D>
void TraceMaker<D>::retag(std::uint32_t object, const TagSet& now) {
  Trace<D>& t = trace();
  TraceObject<D>& o = t.objects_[object];
  o.tags = now;
  t.tag_samples_[object].emplace_back(t.steps_, now);
  tag_parties(o);
}

template <int D>
void TraceMaker<D>::tag_parties(TraceObject<D>& o) {
  for (std::size_t i = 0; i < o.parties.size(); ++i) {
    const Result<TagSet> own = trace().tags_.find_all(o.colliders[i].tags);
    if (!own) throw Wrong{own.error().what, own.error().accepted};
    o.parties[i].tags = o.tags.merged(own.value());
    o.parties[i].active = o.active;
  }
}

template <int D>
void TraceMaker<D>::moved(const Json& list) {
  if (list.size() % (1 + kParts) != 0)
    throw Wrong{fmt::format("has {} values in \"moved\"", list.size()),
                fmt::format("{} for each object", 1 + kParts)};
  std::int64_t number = 0;
  const std::uint64_t now = trace().steps_;
  for (std::size_t i = 0; i < list.size(); i += 1 + kParts) {
    number += list[i].get<std::int64_t>();
    Known& k = there(number);
    if (k.moved_at == kNever || k.moved_at + 1 != now) k.rate = k.bend = {};
    k.moved_at = now;
    for (std::size_t p = 0; p < kParts; ++p) {
      // Unsigned: hostile values may not overflow.
      const auto whole = [](std::int64_t x) { return static_cast<std::uint64_t>(x); };
      const std::uint64_t change =
          whole(k.rate[p]) + whole(k.bend[p]) + whole(list[i + 1 + p].get<std::int64_t>());
      if (p >= kBentFrom) k.bend[p] = static_cast<std::int64_t>(change - whole(k.rate[p]));
      k.rate[p] = static_cast<std::int64_t>(change);
      k.at[p] = static_cast<std::int64_t>(whole(k.at[p]) + change);
    }
    const auto& before = trace().samples_[k.index].back();
    sample(k.index, before.shown, before.asleep, pose(k));
  }
}

template <int D>
void TraceMaker<D>::gone(const Json& item) {
  const std::uint32_t object = there(item.at(0)).index;
  TraceObject<D>& o = trace().objects_[object];
  if (o.gone != kNever) return;
  o.gone = trace().steps_;
  if (item.at(1).get<std::int64_t>() >= 0) o.remover = reaction(item[1]);
}

template <int D>
void TraceMaker<D>::collider(const Json& item) {
  const Known& k = there(item.at(0));
  TraceObject<D>& o = trace().objects_[k.index];
  const auto i = item.at(1).get<std::uint32_t>();
  if (i >= o.colliders.size())
    throw Wrong{fmt::format("changes collider {} of {}", i, o.colliders.size()),
                "one of them, counted from 0"};
  const TraceColliderChange now{trace().steps_, i, item.at(2).get<int>() != 0, scale(item.at(3))};
  change(k.index, now);
  o.colliders[i].on = o.parties[i].on = now.on;
  const auto& [shape, described] = k.shapes[i];
  o.colliders[i].shape = now.scale == described ? shape : scaled(shape, now.scale / described);
}

template <int D>
void TraceMaker<D>::change(std::uint32_t object, const TraceColliderChange& now) {
  const TraceColliderChange last = trace().collider_state_at(object, now.collider, kNever);
  if (last.on == now.on && last.scale == now.scale) return;
  std::vector<TraceColliderChange>& all = trace().collider_changes_[object];
  // A second one of its step is of an object that was described before it came.
  const auto same = std::find_if(all.begin(), all.end(), [&](const TraceColliderChange& c) {
    return c.step == now.step && c.collider == now.collider;
  });
  if (same != all.end()) *same = now;
  else all.push_back(now);
}

template <int D>
void TraceMaker<D>::walker(const Json& item) {
  const std::uint32_t object = there(item.at(0)).index;
  typename Trace<D>::WalkSample w;
  w.step = trace().steps_;
  w.standing = item.at(1).get<int>() != 0;
  w.on = index(item.at(2));
  w.highest = finite(item.at(3));
  trace().walk_samples_[object].push_back(w);
}

template <int D>
void TraceMaker<D>::number(const Json& item) {
  Trace<D>& t = trace();
  const std::uint32_t object = index(item.at(0));
  const std::string name = item.at(1).get<std::string>();
  const double value = finite(item.at(2));
  std::vector<Number>& list = object == kNobody ? t.numbers_ : t.objects_[object].numbers;
  const auto at =
      std::find_if(list.begin(), list.end(), [&](const Number& n) { return n.name == name; });
  if (at == list.end()) list.push_back({name, value});
  else at->value = value;
  auto& samples = t.number_samples_[{object, name}];
  if (samples.empty() || samples.back().value != value) samples.push_back({t.steps_, value});
}

template <int D>
void TraceMaker<D>::touch(const Json& x) {
  Trace<D>& t = trace();
  TraceTouch touch;
  touch.step = t.steps_;
  touch.time = time(x.at(0));
  touch.phase = named(x.at(1), Phase::end);
  touch.channel = named(x.at(2), Channel::zone);
  touch.why = named(x.at(3), EndCause::run_over);
  touch.self = there(x.at(4)).index;
  touch.other = there(x.at(5)).index;
  touch.self_collider = x.at(6).get<std::uint32_t>();
  touch.other_collider = x.at(7).get<std::uint32_t>();
  if (touch.self_collider >= t.objects_[touch.self].colliders.size() ||
      touch.other_collider >= t.objects_[touch.other].colliders.size())
    throw Wrong{"has a touch of a collider that the object lacks", "a position in its list"};
  touch.approach_speed = finite(x.at(8));
  touch.impulse = finite(x.at(9));
  touch.again = x.at(10).get<int>() != 0;
  touch.self_tags = tags(x.at(11));
  touch.other_tags = tags(x.at(12));
  t.touch_places_.push_back({vector(x.at(13)), vector(x.at(14))});
  t.touches_.push_back(std::move(touch));
}

template <int D>
void TraceMaker<D>::firing(const Json& x) {
  Trace<D>& t = trace();
  TraceFiring<D> f;
  f.step = t.steps_;
  f.time = time(x.at(0));
  f.reaction = reaction(x.at(1));
  f.self = index(x.at(2));
  f.other = index(x.at(3));
  f.self_tags = tags(x.at(4));
  f.other_tags = tags(x.at(5));
  if (x.size() > 6) f.place = vector(x[6]);
  ++t.reactions_[f.reaction].fired;
  t.firings_.push_back(std::move(f));
}

template struct TraceMaker<2>;
template struct TraceMaker<3>;

}  // namespace colvik
