#include <fmt/format.h>

#include "rules/rules_impl.h"

namespace colvik {

template <class A>
void pack(A& a, ObjectId& id) {
  a(id.slot, id.generation);
}

namespace rules {

template <class A>
void pack(A& a, Visit& v) {
  a(v.open, v.ended, v.fired);
}
template <class A>
void pack(A& a, Limited& l) {
  a(l.fired, l.last);
}
template <class A, int D>
void pack(A& a, Moment<D>& m) {
  a(m.self, m.other, m.touch, m.normal, m.point, m.speed);
}
template <class A, int D>
void pack(A& a, Delayed<D>& d) {
  a(d.due, d.reaction, d.effect, d.moment);
}
template <class A>
void pack(A& a, Carried& c) {
  a(c.parent, c.child, c.reaction, c.effect);
}

// What of a reaction changes while it runs.
struct ReactionState {
  std::string name;
  ReactionReport report{};
  bool on = true;
  std::uint64_t beats = 0;
  std::vector<std::array<std::uint64_t, 2>> seen;
  std::vector<std::array<std::uint64_t, 2>> visitors;
  std::vector<Visit> visits;
  std::vector<std::array<std::uint64_t, 2>> limited_for;
  std::vector<Limited> limited;
  std::vector<std::uint64_t> owners;
  std::vector<double> values;
};
template <class A>
void pack(A& a, ReactionState& r) {
  a(r.name, r.report.fired, r.report.idle_effects, r.report.stopped_going, r.report.stopped_off,
    r.report.stopped_guard, r.report.stopped_limit, r.on, r.beats, r.seen, r.visitors, r.visits,
    r.limited_for, r.limited, r.owners, r.values);
}

}  // namespace rules

namespace {

constexpr std::string_view kSaved = "colvik rules";
constexpr std::uint32_t kVersion = 5;

template <int D>
rules::ReactionState state_of(const rules::Compiled<D>& r, const ReactionReport& report) {
  rules::ReactionState s;
  s.name = r.reaction.name;
  s.report = report;
  s.on = r.on;
  s.beats = r.beats;
  for (const auto& [self, other] : r.seen) s.seen.push_back({self, other});
  for (const auto& [two, visit] : r.visits) {
    s.visitors.push_back({two.first, two.second});
    s.visits.push_back(visit);
  }
  for (const auto& [whom, limited] : r.limited) {
    s.limited_for.push_back({whom.first, whom.second});
    s.limited.push_back(limited);
  }
  for (const auto& [owner, value] : r.last_value) {
    s.owners.push_back(owner);
    s.values.push_back(value);
  }
  return s;
}

template <int D>
void become(rules::Compiled<D>& r, ReactionReport& report, const rules::ReactionState& s) {
  report.fired = s.report.fired;
  report.idle_effects = s.report.idle_effects;
  report.stopped_going = s.report.stopped_going;
  report.stopped_off = s.report.stopped_off;
  report.stopped_guard = s.report.stopped_guard;
  report.stopped_limit = s.report.stopped_limit;
  r.on = s.on;
  r.beats = s.beats;
  r.seen.clear();
  r.visits.clear();
  r.last_value.clear();
  r.limited.clear();
  for (std::size_t k = 0; k < s.limited.size(); ++k)
    r.limited.emplace(rules::Serials(s.limited_for[k][0], s.limited_for[k][1]), s.limited[k]);
  for (const auto& [self, other] : s.seen) r.seen.emplace(self, other);
  for (std::size_t k = 0; k < s.visits.size(); ++k)
    r.visits.emplace(rules::Serials(s.visitors[k][0], s.visitors[k][1]), s.visits[k]);
  for (std::size_t k = 0; k < s.owners.size(); ++k) r.last_value.emplace(s.owners[k], s.values[k]);
}

// The rest of what changes.
struct Loose {
  std::vector<std::uint64_t> safe;
  std::vector<double> until;
  std::vector<std::string> inputs;
  std::vector<std::string> cues;
  std::vector<std::uint64_t> claimed;  // serials
  std::vector<std::uint64_t> claimants;
  std::vector<ObjectId> claimed_ids;
};
template <class A>
void pack(A& a, Loose& l) {
  a(l.safe, l.until, l.inputs, l.cues, l.claimed, l.claimants, l.claimed_ids);
}

}  // namespace

template <int D>
Rules<D>::Rules(World<D>& world) : impl_(std::make_unique<Impl>(world)) {
  impl_->token = world.add_listener(
      [impl = impl_.get()](World<D>&, std::span<const Event<D>> events) { impl->react(events); });
}
template <int D>
Rules<D>::~Rules() {
  impl_->world.remove_listener(impl_->token);
}

template <int D>
Result<void> Rules<D>::add(Reaction<D> reaction) {
  const auto refuse = [&](const Error& error) {
    return Error{fmt::format("reaction '{}'{}{}", reaction.name, error.where.empty() ? "" : " ",
                             error.where),
                 error.what, error.accepted};
  };
  if (!is_plain_name(reaction.name))
    return refuse({{}, "lacks a usable name", "letters, digits and - _ ."});
  for (const ReactionReport& r : impl_->reports)
    if (r.name == reaction.name) return refuse({{}, "is there twice", "a name of its own"});
  Result<Who> self = Who::parse(reaction.self, impl_->world.tags());
  if (!self) return refuse({"self", self.error().what, self.error().accepted});
  Result<Who> other = Who::parse(reaction.other, impl_->world.tags());
  if (!other) return refuse({"other", other.error().what, other.error().accepted});
  Result<rules::Compiled<D>> compiled = impl_->compile(reaction);
  if (!compiled) return refuse(compiled.error());
  if (const auto* touch = std::get_if<OnTouch>(&reaction.when);
      touch != nullptr && touch->phase == Phase::during)
    impl_->world.ask_during(self.value().query(), other.value().query());
  ReactionReport report;
  report.name = reaction.name;
  report.self = self.value();
  report.other = other.value();
  report.when = reaction.when;
  const bool touch = std::holds_alternative<OnTouch>(reaction.when);
  if (touch && !(report.self.object().empty() && report.other.object().empty()))
    impl_->named.push_back(static_cast<std::uint32_t>(impl_->reactions.size()));
  impl_->fitting.clear();  // worked out again with the new one
  impl_->reports.push_back(std::move(report));
  impl_->reactions.push_back(std::move(compiled).value());
  return {};
}

template <int D>
void Rules<D>::input(std::string_view name) {
  impl_->inputs.emplace(name);
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
std::span<const Withheld> Rules<D>::withheld() const {
  return impl_->withheld;
}
template <int D>
const Reaction<D>& Rules<D>::reaction(std::size_t index) const {
  return impl_->reactions[index].reaction;
}
template <int D>
void Rules<D>::ask_attempts(bool on) {
  impl_->asked_attempts += on ? 1 : -1;
}
template <int D>
std::span<const Attempt<D>> Rules<D>::attempts() const {
  return impl_->attempts;
}
template <int D>
std::uint64_t Rules<D>::count(std::string_view name) const {
  for (const ReactionReport& r : impl_->reports)
    if (r.name == name) return r.fired;
  return 0;
}
template <int D>
std::optional<std::size_t> Rules<D>::remover(ObjectId id) const {
  for (const auto& [serial, claim] : impl_->claims)
    if (claim.object == id) return claim.reaction;
  return std::nullopt;
}
template <int D>
const std::optional<std::string>& Rules<D>::outcome() const {
  return impl_->outcome;
}

template <int D>
bool Rules<D>::wants_restart() {
  return std::exchange(impl_->restart, false);
}
template <int D>
void Rules<D>::begin_again() {
  for (rules::Compiled<D>& r : impl_->reactions) {
    r.on = r.reaction.on;
    r.beats = 0;
    r.limited.clear();
    r.seen.clear();
    r.last_value.clear();
    r.visits.clear();
  }
  impl_->fired.clear();
  impl_->withheld.clear();
  impl_->attempts.clear();
  impl_->claims.clear();
  impl_->delayed.clear();
  impl_->carried.clear();
  impl_->safe_until.clear();
  impl_->inputs.clear();
  impl_->cues.clear();
  impl_->going_by.clear();
  impl_->restart = false;
}

template <int D>
std::vector<std::byte> Rules<D>::save() const {
  std::vector<rules::ReactionState> states;
  for (std::size_t i = 0; i < impl_->reactions.size(); ++i)
    states.push_back(state_of(impl_->reactions[i], impl_->reports[i]));
  Loose loose;
  for (const auto& [serial, until] : impl_->safe_until) {
    loose.safe.push_back(serial);
    loose.until.push_back(until);
  }
  loose.inputs.assign(impl_->inputs.begin(), impl_->inputs.end());
  loose.cues.assign(impl_->cues.begin(), impl_->cues.end());
  for (const auto& [serial, claim] : impl_->claims) {
    loose.claimed.push_back(serial);
    loose.claimants.push_back(claim.reaction);
    loose.claimed_ids.push_back(claim.object);
  }
  math::Packer out;
  out(states, impl_->delayed, impl_->carried, loose, impl_->outcome);
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
  std::vector<rules::ReactionState> states;
  std::vector<rules::Delayed<D>> delayed;
  std::vector<rules::Carried> carried;
  Loose loose;
  std::optional<std::string> outcome;
  in(states, delayed, carried, loose, outcome);
  bool same = in.good() && in.empty() && states.size() == impl_->reactions.size() &&
              loose.safe.size() == loose.until.size() &&
              loose.claimed.size() == loose.claimants.size() &&
              loose.claimed.size() == loose.claimed_ids.size();
  for (const std::uint64_t claimant : loose.claimants)
    same = same && claimant < impl_->reactions.size();
  for (std::size_t i = 0; same && i < states.size(); ++i)
    same = states[i].name == impl_->reactions[i].reaction.name &&
           states[i].owners.size() == states[i].values.size() &&
           states[i].visitors.size() == states[i].visits.size() &&
           states[i].limited_for.size() == states[i].limited.size();
  for (const rules::Delayed<D>& d : delayed)
    same = same && d.reaction < impl_->reactions.size() &&
           d.effect < impl_->reactions[d.reaction].effects.size();
  if (!same)
    return refuse("is of other reactions", "the reactions it was saved with, in the same order");
  for (std::size_t i = 0; i < states.size(); ++i)
    become(impl_->reactions[i], impl_->reports[i], states[i]);
  impl_->delayed = std::move(delayed);
  impl_->carried = std::move(carried);
  impl_->outcome = std::move(outcome);
  impl_->safe_until.clear();
  for (std::size_t i = 0; i < loose.safe.size(); ++i)
    impl_->safe_until[loose.safe[i]] = loose.until[i];
  impl_->claims.clear();
  for (std::size_t i = 0; i < loose.claimed.size(); ++i)
    impl_->claims[loose.claimed[i]] = {static_cast<std::size_t>(loose.claimants[i]),
                                       loose.claimed_ids[i]};
  impl_->inputs = {loose.inputs.begin(), loose.inputs.end()};
  impl_->cues = {loose.cues.begin(), loose.cues.end()};
  impl_->fired.clear();
  impl_->going_by.clear();
  return {};
}

template <int D>
std::uint64_t Rules<D>::hash() const {
  return math::checksum(save());
}

template Rules<2>::Rules(World<2>& world);
template Rules<3>::Rules(World<3>& world);
template Rules<2>::~Rules();
template Rules<3>::~Rules();
template Result<void> Rules<2>::add(Reaction<2> reaction);
template Result<void> Rules<3>::add(Reaction<3> reaction);
template void Rules<2>::input(std::string_view name);
template void Rules<3>::input(std::string_view name);
template std::span<const ReactionReport> Rules<2>::reports() const;
template std::span<const ReactionReport> Rules<3>::reports() const;
template std::span<const Firing<2>> Rules<2>::fired() const;
template std::span<const Firing<3>> Rules<3>::fired() const;
template const Reaction<2>& Rules<2>::reaction(std::size_t index) const;
template const Reaction<3>& Rules<3>::reaction(std::size_t index) const;
template void Rules<2>::ask_attempts(bool on);
template void Rules<3>::ask_attempts(bool on);
template std::span<const Attempt<2>> Rules<2>::attempts() const;
template std::span<const Attempt<3>> Rules<3>::attempts() const;
template std::span<const Withheld> Rules<2>::withheld() const;
template std::span<const Withheld> Rules<3>::withheld() const;
template std::uint64_t Rules<2>::count(std::string_view name) const;
template std::uint64_t Rules<3>::count(std::string_view name) const;
template std::optional<std::size_t> Rules<2>::remover(ObjectId id) const;
template std::optional<std::size_t> Rules<3>::remover(ObjectId id) const;
template const std::optional<std::string>& Rules<2>::outcome() const;
template const std::optional<std::string>& Rules<3>::outcome() const;
template bool Rules<2>::wants_restart();
template bool Rules<3>::wants_restart();
template void Rules<2>::begin_again();
template void Rules<3>::begin_again();
template std::vector<std::byte> Rules<2>::save() const;
template std::vector<std::byte> Rules<3>::save() const;
template Result<void> Rules<2>::load(std::span<const std::byte> saved);
template Result<void> Rules<3>::load(std::span<const std::byte> saved);
template std::uint64_t Rules<2>::hash() const;
template std::uint64_t Rules<3>::hash() const;

}  // namespace colvik
