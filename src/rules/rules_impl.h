#pragma once
// The state of the reactions of a world. compile.cpp checks what a user says, starts.cpp finds what
// starts, guards.cpp what holds it back, apply.cpp does it, rules.cpp has the public calls.
#include <colvik/rules.hpp>

#include <deque>
#include <map>
#include <set>

#include "math/bytes.h"

namespace colvik {

namespace rules {

// The longest delay, cooldown or time of a start: 30 years, so that a step count cannot overflow.
inline constexpr double kMostSeconds = 1e9;
[[nodiscard]] inline bool is_duration(double seconds) {
  return seconds >= 0 && seconds <= kMostSeconds;
}

[[nodiscard]] inline Error unusable(std::string what, std::string accepted) {
  return {{}, std::move(what), std::move(accepted)};
}

// "world.parcels" -> whose number, and its name.
struct NumberName {
  enum class Whose { world, self, other, each, object } whose = Whose::world;
  std::string name{};
  std::string object{};
};
[[nodiscard]] Result<NumberName> read_number_name(const std::string& text);

struct CompiledEffect {
  Effect effect{};
  NumberName number{};
  NumberName amount{};  // of another number, by which it changes this one
  std::vector<Tag> give{};
  std::vector<Tag> take{};
  TagQuery all{};  // of the target
};
struct CompiledCondition {
  Condition condition{};
  Who who{};
  NumberName number{};
};

// Two that come and go, and whether it fired for them since they came.
struct Visit {
  std::int32_t open = 0;
  double ended = -1e300;
  std::array<bool, 2> fired{};  // with the older one as self, and the younger
};

using Serials = std::pair<std::uint64_t, std::uint64_t>;

// How often a limited reaction fired, and when last.
struct Limited {
  std::uint64_t fired = 0;
  double last = -1e300;
};

template <int D>
struct Compiled {
  Reaction<D> reaction{};
  std::vector<CompiledEffect> effects{};
  std::vector<CompiledCondition> all{};
  std::vector<CompiledCondition> any{};
  std::vector<CompiledCondition> none{};
  NumberName watched{};
  TagQuery counted{};
  bool removes_self = false;
  bool removes_other = false;  // marks them as going when it fires
  std::vector<TagQuery> removes_all{};
  std::vector<std::string> removes_named{};
  // What changes while it runs.
  bool on = true;
  std::set<Serials> seen{};  // of self and other, that it fired for
  std::map<std::uint64_t, double>
      last_value{};  // of the watched number, by owner's serial (0: world); or the count
  std::map<Serials, Visit> visits{};  // the older one first
  std::map<Serials, Limited>
      limited{};            // by whom its limits count for, since the start, or restart
  std::uint64_t beats = 0;  // of time, interval and start: how often it was due
};

// What of a touch effects need, also after a delay.
template <int D>
struct Moment {
  std::optional<ObjectId> self{};
  std::optional<ObjectId> other{};
  bool touch = false;
  Vec<D> normal = kZero;
  Vec<D> point = kZero;  // the normal points at self
  double speed = 0;
};

template <int D>
struct Delayed {
  std::uint64_t due = 0;  // step
  std::size_t reaction = 0;
  std::size_t effect = 0;
  Moment<D> moment{};
};

// The reaction that requested an object's removal.
struct Claim {
  std::size_t reaction = 0;
  ObjectId object{};
};

// What was attached by an effect, in that order.
struct Carried {
  ObjectId parent{};
  ObjectId child{};
  std::size_t reaction = 0;
  std::size_t effect = 0;
};

// A touch that fits a reaction's self and other.
struct Candidate {
  std::uint32_t reaction = 0;
  std::uint32_t event = 0;
  bool turned = false;  // seen from the event's other
  auto operator<=>(const Candidate&) const = default;
};

}  // namespace rules

template <int D>
struct Rules<D>::Impl {
  explicit Impl(World<D>& w) : world(w) {}

  World<D>& world;
  std::size_t token = 0;
  std::deque<rules::Compiled<D>>
      reactions;  // they stay where they are while one is added by a callback
  std::vector<ReactionReport> reports;
  std::vector<Firing<D>> fired;
  std::vector<Withheld> withheld;
  std::vector<Attempt<D>> attempts;  // of the last step
  int asked_attempts = 0;
  std::map<std::uint64_t, rules::Claim> claims;  // by the object's serial
  std::vector<rules::Delayed<D>> delayed;
  std::vector<rules::Carried> carried;
  std::map<std::uint64_t, double> safe_until;  // by serial
  std::set<std::string> inputs;
  std::set<std::string> cues;
  std::set<std::string> cues_now;  // inputs and cues wait for the next step
  std::optional<std::string> outcome;
  bool restart = false;
  // Objects that became going in this step, with the event that did it: it alone may start more.
  std::vector<std::pair<ObjectId, std::size_t>> going_by;
  // Which touch reactions can fit two sets of tags: computed once for each two. Those that mean one
  // object are apart.
  std::map<TagSet, std::uint32_t> tag_sets;
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::vector<std::pair<std::uint32_t, bool>>>
      fitting;
  std::vector<std::uint32_t> named;  // touch reactions of which a side is one object
  std::vector<rules::Candidate> candidates;

  // compile.cpp
  Result<rules::Compiled<D>> compile(const Reaction<D>& r) const;
  Result<rules::NumberName> check_number(const std::string& text, bool touch, bool each) const;
  struct StartCompiler;
  Result<rules::CompiledCondition> compile_condition(const Condition& c, bool has_self,
                                                     bool has_other) const;

  // compile_effects.cpp
  struct EffectCompiler;
  Result<rules::CompiledEffect> compile_effect(const Effect& e, bool has_self,
                                               bool has_other) const;

  // starts.cpp
  void react(std::span<const Event<D>> events);
  void find_candidates(std::span<const Event<D>> events);
  void react_to_touches(std::size_t index, std::span<const Event<D>> events, std::size_t& at);
  void react_to_number(std::size_t index, const OnNumber& start);
  void react_to_count(std::size_t index, const OnCount& start);
  void react_to_state(std::size_t index, const OnState& start);
  bool is_due(std::size_t index);
  void start(std::size_t index, Firing<D> firing, std::size_t event);
  Refusal held_back(std::size_t index, const Firing<D>& firing, std::size_t event);
  void note_attempt(const Firing<D>& firing, const Refusal& by);

  // guards.cpp
  [[nodiscard]] Refusal unfit(const OnTouch& start, const Event<D>& seen) const;
  [[nodiscard]] bool holds(const rules::CompiledCondition& c, const Firing<D>& f) const;
  [[nodiscard]] double value_in(const rules::CompiledCondition& c, const Firing<D>& f) const;
  [[nodiscard]] Refusal failing(const rules::Compiled<D>& r, const Firing<D>& f) const;
  void note_visit(rules::Compiled<D>& r, const Event<D>& e);
  Refusal limit(std::size_t index, const Firing<D>& f);
  [[nodiscard]] std::uint64_t serial_of(const std::optional<ObjectId>& id) const {
    return id ? world.object(*id).serial : 0;
  }
  [[nodiscard]] rules::Serials limited_for(const rules::Compiled<D>& r, const Firing<D>& f) const;
  void note_limited(rules::Compiled<D>& r, const Firing<D>& f);
  [[nodiscard]] bool may_start(ObjectId id, std::size_t event) const;
  [[nodiscard]] bool is_in(ObjectId id, State state) const;
  [[nodiscard]] std::uint64_t count_of(const TagQuery& query) const;
  [[nodiscard]] std::optional<double> value_of(const rules::NumberName& n,
                                               const rules::Moment<D>& m) const;

  // apply.cpp
  struct EffectApplier;
  void apply(std::size_t index, std::size_t effect, const rules::Moment<D>& m);
  // A direction of an object's own frame, mirrored as it is.
  [[nodiscard]] Vec<D> own_direction(ObjectId id, Vec<D> v) const {
    const Object<D>& o = world.object(id);
    if (o.mirrored) v[0] = -v[0];
    return o.pose.rotation * v;
  }
  [[nodiscard]] std::vector<ObjectId> whom(const Target& target, const TagQuery& all,
                                           const rules::Moment<D>& m) const;
};

namespace rules {

template <int D>
[[nodiscard]] Moment<D> moment_of(const Firing<D>& f) {
  Moment<D> m;
  m.self = f.self;
  m.other = f.other;
  if (f.touch) {
    m.touch = true;
    m.normal = f.touch->normal;
    m.point = f.touch->point;
    m.speed = f.touch->approach_speed;
  }
  return m;
}
// The first D numbers.
template <int D>
[[nodiscard]] Vec<D> in_world(const Direction& v) {
  return v.template head<D>();
}
inline constexpr std::size_t kNoEvent = static_cast<std::size_t>(-1);

}  // namespace rules
}  // namespace colvik
