#include <colvik/rules.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "math/bytes.h"
#include "math/hash.h"

namespace colvik {
namespace {

// "world.parcels" -> whose number, and its name.
struct NumberName {
  enum class Whose { world, self, other } whose = Whose::world;
  std::string name;
};

Result<NumberName> read_number_name(const std::string& text) {
  const std::size_t dot = text.find('.');
  const std::string owner = text.substr(0, dot);
  NumberName n;
  if (owner == "world") n.whose = NumberName::Whose::world;
  else if (owner == "self") n.whose = NumberName::Whose::self;
  else if (owner == "other") n.whose = NumberName::Whose::other;
  else
    return Error{{}, fmt::format("number '{}' does not say whose it is", text), "world.NAME, self.NAME or other.NAME"};
  n.name = dot == std::string::npos ? "" : text.substr(dot + 1);
  if (!is_plain_name(n.name))
    return Error{{}, fmt::format("number '{}' lacks a name", text), "world.NAME, self.NAME or other.NAME"};
  return n;
}

struct CompiledEffect {
  Effect effect;
  NumberName number;
  std::vector<Tag> give, take;
};

template <int D>
struct Compiled {
  Reaction<D> reaction;
  std::vector<CompiledEffect> effects;
  NumberName watched;
  bool removes_self = false, removes_other = false;  // marks them as going when it fires
  // latches
  std::set<std::pair<std::uint64_t, std::uint64_t>> seen;  // serials of self and other
  std::map<std::uint64_t, double> last_value;              // of the watched number, by owner's serial (0: world)
};

struct Delayed {
  std::uint64_t due = 0;  // step
  std::size_t reaction = 0, effect = 0;
  std::optional<ObjectId> self, other;
};

template <class A>
void pack(A& a, Delayed& d) {
  const auto id = [&](std::optional<ObjectId>& x) {
    std::uint32_t slot = x ? x->slot : 0, generation = x ? x->generation : 0;
    bool there = x.has_value();
    a(there, slot, generation);
    if constexpr (A::kUnpacks) x = there ? std::optional(ObjectId{slot, generation}) : std::nullopt;
  };
  a(d.due, d.reaction, d.effect);
  id(d.self);
  id(d.other);
}

// What of a reaction changes while it runs.
struct ReactionState {
  std::string name;
  std::uint64_t fired = 0, idle_effects = 0;
  std::vector<std::array<std::uint64_t, 2>> seen;
  std::vector<std::uint64_t> owners;
  std::vector<double> values;
};
template <class A>
void pack(A& a, ReactionState& r) {
  a(r.name, r.fired, r.idle_effects, r.seen, r.owners, r.values);
}
constexpr std::string_view kSaved = "colvik rules";
constexpr std::uint32_t kVersion = 1;

}  // namespace

template <int D>
struct Rules<D>::Impl {
  explicit Impl(World<D>& w) : world(w) {}

  World<D>& world;
  std::size_t token = 0;
  std::vector<Compiled<D>> reactions;
  std::vector<ReactionReport> reports;
  std::vector<Firing<D>> fired;
  std::vector<Delayed> delayed;
  std::optional<std::string> outcome;
  // Objects that became going in this step, with the event that did it: it alone may start more.
  std::vector<std::pair<ObjectId, std::size_t>> going_by;

  Result<Compiled<D>> compile(Reaction<D> r);
  void react(std::span<const Event<D>> events);
  void react_to_touch(std::size_t index, const OnTouch& start, std::span<const Event<D>> events);
  void react_to_number(std::size_t index, const OnNumber& start);
  bool passes(Compiled<D>& r, std::optional<ObjectId> self, std::optional<ObjectId> other);
  void fire(std::size_t index, Firing<D> firing, std::size_t event);
  void apply(std::size_t index, const CompiledEffect& e, std::optional<ObjectId> self, std::optional<ObjectId> other);
  [[nodiscard]] bool may_start(ObjectId id, std::size_t event) const {
    if (!world.object(id).going) return true;
    for (const auto& [object, by] : going_by)
      if (object == id) return by == event;
    return false;
  }
};

template <int D>
Result<Compiled<D>> Rules<D>::Impl::compile(Reaction<D> r) {
  Compiled<D> c;
  const bool touch = std::holds_alternative<OnTouch>(r.when);
  const auto check_number = [&](const std::string& text) -> Result<NumberName> {
    Result<NumberName> n = read_number_name(text);
    if (n && n.value().whose == NumberName::Whose::world && !world.number({}, n.value().name)) {
      std::vector<std::string> names;
      for (const Number& known : world.numbers()) names.push_back("world." + known.name);
      return Error{{},
                   fmt::format("'{}' is not a number of the world", text),
                   suggestion(text, names, "a number declared before")};
    }
    if (n && n.value().whose == NumberName::Whose::other && !touch)
      return Error{{}, fmt::format("number '{}': only a touch has an other", text), "world.NAME or self.NAME"};
    return n;
  };
  if (const auto* on = std::get_if<OnNumber>(&r.when)) {
    Result<NumberName> n = check_number(on->number);
    if (!n) return n.error();
    if (!std::isfinite(on->reaches)) return Error{{}, "the value to reach is not finite", "a number"};
    c.watched = n.value();
  }
  for (const Effect& e : r.effects) {
    CompiledEffect ce{e, {}, {}, {}};
    if (!(e.after >= 0 && e.after <= 1e9))
      return Error{{}, fmt::format("delay {} is not usable", e.after), "seconds, 0 or more"};
    if (!std::isfinite(e.by)) return Error{{}, "the change of a number is not finite", "a number"};
    if (e.kind == Effect::Kind::add) {
      Result<NumberName> n = check_number(e.number);
      if (!n) return n.error();
      ce.number = n.value();
    } else if (e.kind == Effect::Kind::finish) {
      if (e.outcome.empty()) return Error{{}, "finish lacks an outcome", "a word such as won or lost"};
    } else if (!touch && (e.side == Side::other || c.watched.whose == NumberName::Whose::world)) {
      return Error{{},
                   fmt::format("'{}' has nobody to act on: a number of {} starts it", name_of(e.kind),
                               c.watched.whose == NumberName::Whose::world ? "the world" : "self"),
                   c.watched.whose == NumberName::Whose::world ? "add to a number of the world, or finish" : "self"};
    }
    if (e.kind == Effect::Kind::damage && !(e.by > 0))
      return Error{{}, fmt::format("damage of {} is not usable", e.by), "a number above 0"};
    for (const std::string& name : e.give) {
      Result<Tag> tag = world.tags().find(name);
      if (!tag) return tag.error();
      ce.give.push_back(tag.value());
    }
    for (const std::string& name : e.take) {
      Result<Tag> tag = world.tags().find(name);
      if (!tag) return tag.error();
      ce.take.push_back(tag.value());
    }
    if (e.kind == Effect::Kind::retag && e.give.empty() && e.take.empty())
      return Error{{}, "retag changes nothing", "tags to give or take"};
    if (e.kind == Effect::Kind::remove) (e.side == Side::self ? c.removes_self : c.removes_other) = true;
    c.effects.push_back(std::move(ce));
  }
  c.reaction = std::move(r);
  return c;
}

template <int D>
void Rules<D>::Impl::react(std::span<const Event<D>> events) {
  fired.clear();
  going_by.clear();
  if (world.finished()) return;  // what ends with the run starts nothing
  for (std::size_t i = 0; i < reactions.size(); ++i) {
    for (const Delayed& d : delayed)
      if (d.reaction == i && d.due <= world.steps()) apply(i, reactions[i].effects[d.effect], d.self, d.other);
    if (const auto* touch = std::get_if<OnTouch>(&reactions[i].reaction.when)) react_to_touch(i, *touch, events);
    else react_to_number(i, std::get<OnNumber>(reactions[i].reaction.when));
  }
  std::erase_if(delayed, [&](const Delayed& d) { return d.due <= world.steps(); });
}

template <int D>
void Rules<D>::Impl::react_to_touch(std::size_t index, const OnTouch& start, std::span<const Event<D>> events) {
  for (std::size_t k = 0; k < events.size(); ++k) {
    const Event<D>& e = events[k];
    if (e.phase != start.phase || (start.channel && *start.channel != e.channel)) continue;
    if (e.phase == Phase::end && e.why != EndCause::left && e.why != EndCause::teleported) continue;
    const ReactionReport& who = reports[index];
    const std::string &self_name = world.object(e.self).name, &other_name = world.object(e.other).name;
    const auto try_side = [&](bool turned) {
      const bool match = turned
                             ? who.self.matches(other_name, e.other_tags) && who.other.matches(self_name, e.self_tags)
                             : who.self.matches(self_name, e.self_tags) && who.other.matches(other_name, e.other_tags);
      if (!match || !may_start(e.self, k) || !may_start(e.other, k)) return;
      const Event<D> seen = turned ? e.seen_from(e.other) : e;
      if (!passes(reactions[index], seen.self, seen.other)) return;
      Firing<D> firing;
      firing.self = seen.self, firing.other = seen.other, firing.touch = seen;
      fire(index, std::move(firing), k);
    };
    try_side(false);
    try_side(true);
  }
}

template <int D>
void Rules<D>::Impl::react_to_number(std::size_t index, const OnNumber& start) {
  constexpr std::size_t kNoEvent = static_cast<std::size_t>(-1);
  const auto watch = [&](std::uint64_t owner, double value) {
    const auto [at, fresh] = reactions[index].last_value.try_emplace(owner, value);
    const double last = std::exchange(at->second, value);
    return !fresh &&
           ((last < start.reaches && value >= start.reaches) || (last > start.reaches && value <= start.reaches));
  };
  const NumberName& n = reactions[index].watched;
  if (n.whose == NumberName::Whose::world) {
    const std::optional<double> value = world.number({}, n.name);
    if (value && watch(0, *value) && passes(reactions[index], std::nullopt, std::nullopt)) fire(index, {}, kNoEvent);
    return;
  }
  for (const ObjectId id : world.objects()) {
    const Object<D>& o = world.object(id);
    const std::optional<double> value = world.number({id}, n.name);
    // Watched in everyone, so that one who is only now meant does not start with a stale value.
    if (!value || !watch(o.serial, *value) || !reports[index].self.matches(o.name, o.tags)) continue;
    if (!may_start(id, kNoEvent) || !passes(reactions[index], id, std::nullopt)) continue;
    Firing<D> firing;
    firing.self = id;
    fire(index, std::move(firing), kNoEvent);
  }
}

// Whether the latch lets it through; sets the latch.
template <int D>
bool Rules<D>::Impl::passes(Compiled<D>& r, std::optional<ObjectId> self, std::optional<ObjectId> other) {
  if (r.reaction.once == Once::no) return true;
  if (r.reaction.once == Once::ever) return r.seen.emplace(0, 0).second;
  const auto serial = [&](const std::optional<ObjectId>& id) { return id ? world.object(*id).serial : 0; };
  return r.seen.emplace(serial(self), serial(other)).second;
}

template <int D>
void Rules<D>::Impl::fire(std::size_t index, Firing<D> firing, std::size_t event) {
  firing.step = world.steps(), firing.time = world.time(), firing.reaction = index;
  ++reports[index].fired;
  const auto going = [&](std::optional<ObjectId> id) {
    if (!id || !world.alive(*id) || world.object(*id).going) return;
    world.mark_going(*id);
    going_by.emplace_back(*id, event);
  };
  if (reactions[index].removes_self) going(firing.self);
  if (reactions[index].removes_other) going(firing.other);
  for (std::size_t k = 0; k < reactions[index].effects.size(); ++k) {
    const CompiledEffect& e = reactions[index].effects[k];
    const auto steps = static_cast<std::uint64_t>(std::llround(e.effect.after * world.settings().rate));
    if (steps == 0) apply(index, e, firing.self, firing.other);
    else delayed.push_back({world.steps() + steps, index, k, firing.self, firing.other});
  }
  fired.push_back(firing);
  if (reactions[index].reaction.call) reactions[index].reaction.call(world, firing);
}

// Asks the world for the change; while it tells its listeners, that waits for the end of the step.
template <int D>
void Rules<D>::Impl::apply(std::size_t index, const CompiledEffect& e, std::optional<ObjectId> self,
                           std::optional<ObjectId> other) {
  const std::optional<ObjectId> side = e.effect.side == Side::self ? self : other;
  bool done = false;
  switch (e.effect.kind) {
    case Effect::Kind::add:
      switch (e.number.whose) {
        case NumberName::Whose::world: done = world.add_to_number({}, e.number.name, e.effect.by); break;
        case NumberName::Whose::self: done = self && world.add_to_number({*self}, e.number.name, e.effect.by); break;
        default: done = other && world.add_to_number({*other}, e.number.name, e.effect.by); break;
      }
      break;
    case Effect::Kind::damage: done = side && world.add_to_number({*side}, kHealth, -e.effect.by, 0); break;
    case Effect::Kind::remove: done = side && world.remove(*side); break;
    case Effect::Kind::hide: done = side && world.set_shown(*side, false); break;
    case Effect::Kind::show: done = side && world.set_shown(*side, true); break;
    case Effect::Kind::retag:
      for (const Tag tag : e.give) done = side && world.give_tag(*side, tag);
      for (const Tag tag : e.take) done = side && world.take_tag(*side, tag);
      break;
    case Effect::Kind::stop: done = side && world.stop(*side); break;
    case Effect::Kind::finish:
      done = true;
      if (!outcome) outcome = e.effect.outcome;
      break;
  }
  if (!done) ++reports[index].idle_effects;
}

template <int D>
Rules<D>::Rules(World<D>& world) : impl_(std::make_unique<Impl>(world)) {
  impl_->token =
      world.add_listener([impl = impl_.get()](World<D>&, std::span<const Event<D>> events) { impl->react(events); });
}
template <int D>
Rules<D>::~Rules() {
  impl_->world.remove_listener(impl_->token);
}

template <int D>
Result<void> Rules<D>::add(Reaction<D> reaction) {
  const auto refuse = [&](const Error& error) {
    return Error{fmt::format("reaction '{}'{}{}", reaction.name, error.where.empty() ? "" : " ", error.where),
                 error.what, error.accepted};
  };
  if (!is_plain_name(reaction.name)) return refuse({{}, "lacks a usable name", "letters, digits and - _ ."});
  for (const ReactionReport& r : impl_->reports)
    if (r.name == reaction.name) return refuse({{}, "is there twice", "a name of its own"});
  Result<Who> self = Who::parse(reaction.self, impl_->world.tags());
  if (!self) return refuse({"self", self.error().what, self.error().accepted});
  Result<Who> other = Who::parse(reaction.other, impl_->world.tags());
  if (!other) return refuse({"other", other.error().what, other.error().accepted});
  Result<Compiled<D>> compiled = impl_->compile(reaction);
  if (!compiled) return refuse(compiled.error());
  if (const auto* touch = std::get_if<OnTouch>(&reaction.when); touch != nullptr && touch->phase == Phase::during)
    impl_->world.ask_during(self.value().query(), other.value().query());
  impl_->reports.push_back({reaction.name, self.value(), other.value(), reaction.when, 0, 0});
  impl_->reactions.push_back(std::move(compiled).value());
  return {};
}

template <int D>
std::span<const ReactionReport> Rules<D>::reports() const {
  return impl_->reports;
}
template <int D>
std::span<const Firing<D>> Rules<D>::fired() const {
  return impl_->fired;
}
template <int D>
std::uint64_t Rules<D>::count(std::string_view name) const {
  for (const ReactionReport& r : impl_->reports)
    if (r.name == name) return r.fired;
  return 0;
}
template <int D>
const std::optional<std::string>& Rules<D>::outcome() const {
  return impl_->outcome;
}

template <int D>
std::vector<std::byte> Rules<D>::save() const {
  std::vector<ReactionState> states;
  for (std::size_t i = 0; i < impl_->reactions.size(); ++i) {
    const Compiled<D>& r = impl_->reactions[i];
    ReactionState& s = states.emplace_back();
    s.name = r.reaction.name, s.fired = impl_->reports[i].fired, s.idle_effects = impl_->reports[i].idle_effects;
    for (const auto& [self, other] : r.seen) s.seen.push_back({self, other});
    for (const auto& [owner, value] : r.last_value) s.owners.push_back(owner), s.values.push_back(value);
  }
  math::Packer out;
  out(states, impl_->delayed, impl_->outcome);
  return math::sealed(kSaved, kVersion, std::move(out.bytes()));
}

template <int D>
Result<void> Rules<D>::load(std::span<const std::byte> saved) {
  const auto refuse = [](std::string what, std::string accepted) {
    return Error{"snapshot of rules", std::move(what), std::move(accepted)};
  };
  const math::Opened opened = math::opened(kSaved, kVersion, saved);
  if (!opened.wrong.empty()) return refuse(opened.wrong, opened.accepted);
  math::Unpacker in(opened.inside);
  std::vector<ReactionState> states;
  std::vector<Delayed> delayed;
  std::optional<std::string> outcome;
  in(states, delayed, outcome);
  bool same = in.good() && in.empty() && states.size() == impl_->reactions.size();
  for (std::size_t i = 0; same && i < states.size(); ++i)
    same = states[i].name == impl_->reactions[i].reaction.name && states[i].owners.size() == states[i].values.size();
  for (const Delayed& d : delayed)
    same = same && d.reaction < impl_->reactions.size() && d.effect < impl_->reactions[d.reaction].effects.size();
  if (!same) return refuse("is of other reactions", "the reactions it was saved with, in the same order");
  for (std::size_t i = 0; i < states.size(); ++i) {
    Compiled<D>& r = impl_->reactions[i];
    impl_->reports[i].fired = states[i].fired, impl_->reports[i].idle_effects = states[i].idle_effects;
    r.seen.clear(), r.last_value.clear();
    for (const auto& [self, other] : states[i].seen) r.seen.emplace(self, other);
    for (std::size_t k = 0; k < states[i].owners.size(); ++k)
      r.last_value.emplace(states[i].owners[k], states[i].values[k]);
  }
  impl_->delayed = std::move(delayed), impl_->outcome = std::move(outcome);
  impl_->fired.clear(), impl_->going_by.clear();
  return {};
}

template <int D>
std::uint64_t Rules<D>::hash() const {
  math::Hasher h;
  for (std::size_t i = 0; i < impl_->reactions.size(); ++i) {
    h.add(impl_->reports[i].fired);
    for (const auto& [self, other] : impl_->reactions[i].seen) h.add(self), h.add(other);
    for (const auto& [owner, value] : impl_->reactions[i].last_value) h.add(owner), h.add(value);
  }
  const auto serial = [&](const std::optional<ObjectId>& id) {
    return id && impl_->world.alive(*id) ? impl_->world.object(*id).serial : 0;
  };
  for (const Delayed& d : impl_->delayed)
    h.add(d.due), h.add(std::uint64_t{d.reaction}), h.add(std::uint64_t{d.effect}), h.add(serial(d.self)),
        h.add(serial(d.other));
  h.add(std::string_view(impl_->outcome ? *impl_->outcome : ""));
  return h.value();
}

template class Rules<2>;
template class Rules<3>;

}  // namespace colvik
