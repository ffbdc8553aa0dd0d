// What a user says of a reaction, checked, with its tags and numbers looked up.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "rules/rules_impl.h"

namespace colvik {

using rules::Compiled;
using rules::CompiledCondition;
using rules::CompiledEffect;
using rules::NumberName;

namespace rules {

Result<NumberName> read_number_name(const std::string& text) {
  constexpr std::string_view kAccepted = "world.NAME, self.NAME, other.NAME or @OBJECT.NAME";
  const std::size_t dot = text.rfind('.');
  const std::string owner = text.substr(0, dot);
  NumberName n;
  if (owner == "world") n.whose = NumberName::Whose::world;
  else if (owner == "self") n.whose = NumberName::Whose::self;
  else if (owner == "other") n.whose = NumberName::Whose::other;
  else if (owner == "each") n.whose = NumberName::Whose::each;
  else if (owner.starts_with('@') && is_plain_name(owner.substr(1)))
    n.whose = NumberName::Whose::object, n.object = owner.substr(1);
  else return Error{{}, fmt::format("number '{}' does not say whose it is", text), std::string(kAccepted)};
  n.name = dot == std::string::npos ? "" : text.substr(dot + 1);
  if (!is_plain_name(n.name)) return Error{{}, fmt::format("number '{}' lacks a name", text), std::string(kAccepted)};
  return n;
}

}  // namespace rules

template <int D>
Result<NumberName> Rules<D>::Impl::check_number(const std::string& text, bool has_other, bool each) const {
  Result<NumberName> n = rules::read_number_name(text);
  if (!n) return n;
  const NumberName& name = n.value();
  if (name.whose == NumberName::Whose::world && !world.number({}, name.name)) {
    std::vector<std::string> names;
    for (const Number& known : world.numbers()) names.push_back("world." + known.name);
    return Error{{},
                 fmt::format("'{}' is not a number of the world", text),
                 suggestion(text, names, "a number declared before")};
  }
  if (name.whose == NumberName::Whose::other && !has_other)
    return Error{{}, fmt::format("number '{}': only a touch has an other", text), "world.NAME or self.NAME"};
  if (name.whose == NumberName::Whose::each && !each)
    return Error{{}, fmt::format("number '{}': only an effect has a target", text), "world.NAME or self.NAME"};
  return n;
}

template <int D>
Result<CompiledEffect> Rules<D>::Impl::compile_effect(const Effect& e, bool has_self, bool has_other) const {
  CompiledEffect c{e};
  using Kind = Effect::Kind;
  const std::string what(name_of(e.kind));
  const auto wrong = [&](std::string text, std::string accepted) {
    return Error{{}, std::move(text), std::move(accepted)};
  };
  if (!(e.after >= 0 && e.after <= 1e9))
    return wrong(fmt::format("delay {} is not usable", e.after), "seconds, 0 or more");
  if (!std::isfinite(e.by)) return wrong("the change of a number is not finite", "a number");
  if (!e.vector.allFinite() || !e.velocity.allFinite() || !e.spin.allFinite() || e.vector.norm() > 1e15 ||
      e.velocity.norm() > 1e15)
    return wrong(fmt::format("a vector of '{}' is not usable", what), "finite numbers");
  const auto check_target = [&](const Target& target) -> Result<void> {
    if ((target.kind == Target::Kind::self && !has_self) || (target.kind == Target::Kind::other && !has_other))
      return wrong(fmt::format("'{}' has nobody to act on: what starts it has no {}", what, target.text()),
                   has_self ? "self, @OBJECT or all QUERY" : "@OBJECT or all QUERY");
    if (target.kind == Target::Kind::object && !is_plain_name(target.who))
      return wrong(fmt::format("'@{}' does not name an object", target.who), "'@' and an object's name");
    return {};
  };
  const bool numbers = e.kind == Kind::add || e.kind == Kind::set || e.kind == Kind::clamp;
  const bool nobody = e.kind == Kind::spawn || e.kind == Kind::reaction_on || e.kind == Kind::reaction_off ||
                      e.kind == Kind::cue || e.kind == Kind::restart || e.kind == Kind::finish;
  if (numbers) {
    Result<NumberName> n = check_number(e.number, has_other, true);
    if (!n) return n.error();
    c.number = n.value();
    if (c.number.whose == NumberName::Whose::self && !has_self)
      return wrong(fmt::format("number '{}': what starts it has no self", e.number), "world.NAME or @OBJECT.NAME");
    if (e.kind == Kind::clamp && !(e.least <= e.most))
      return wrong(fmt::format("clamp from {} to {} leaves nothing", e.least, e.most), "from <= to");
  }
  if (!nobody && (!numbers || c.number.whose == NumberName::Whose::each))
    if (auto good = check_target(e.target); !good) return good.error();
  if (e.target.kind == Target::Kind::all) {
    Result<TagQuery> all = TagQuery::parse(e.target.who, world.tags());
    if (!all) return all.error();
    c.all = all.value();
  }
  if (e.to.kind == Target::Kind::all) return wrong(fmt::format("'{}' to all of a query", what), "one object");
  switch (e.kind) {
    case Kind::finish:
      if (e.name.empty()) return wrong("finish lacks an outcome", "a word such as won or lost");
      break;
    case Kind::damage:
      if (!(e.by > 0)) return wrong(fmt::format("damage of {} is not usable", e.by), "a number above 0");
      if (!(e.safe >= 0 && e.safe <= 1e9))
        return wrong(fmt::format("safe time of {} is not usable", e.safe), "seconds, 0 or more");
      break;
    case Kind::retag:
      if (e.give.empty() && e.take.empty()) return wrong("retag changes nothing", "tags to give or take");
      break;
    case Kind::bounce:
      if (!has_other && e.vector.isZero(0))
        return wrong("bounce without a touch", "an axis to turn the velocity round");
      if (e.after > 0) return wrong("bounce after a delay", "at once: only then is it known how they touched");
      break;
    case Kind::push:
      if (e.away && !has_other) return wrong("push away without a touch", "an impulse");
      if (!e.away && e.vector.isZero(0)) return wrong("push with no impulse", "an impulse, or away");
      break;
    case Kind::except:
      if (!(e.safe >= 0 && e.safe <= 1e9))
        return wrong(fmt::format("{} seconds are not usable", e.safe), "seconds, 0 or more");
      [[fallthrough]];
    case Kind::send:
      if (e.kind == Kind::send && !(e.speed > 0 && e.speed <= 1e12 && e.within >= 0 && e.within <= 1e12))
        return wrong(fmt::format("a speed of {} is not usable", e.speed), "a number above 0");
      [[fallthrough]];
    case Kind::teleport:
    case Kind::attach:
      if (!e.placed)
        if (auto good = check_target(e.to); !good) return good.error();
      break;
    case Kind::spawn:
      if (world.kind(e.name) == nullptr) return wrong(fmt::format("no kind is named '{}'", e.name), "a declared kind");
      if (!e.placed && !e.region)
        if (auto good = check_target(e.to); !good) return good.error();
      break;
    case Kind::weigh:
      if (std::abs(e.by) > 1e6) return wrong(fmt::format("scale {} is not usable", e.by), "a number up to 1e6");
      break;
    case Kind::cue:
      if (!is_plain_name(e.name)) return wrong(fmt::format("'{}' does not name a cue", e.name), "letters and digits");
      break;
    default: break;
  }
  for (const auto& [names, tags] : {std::pair(&e.give, &c.give), std::pair(&e.take, &c.take)})
    for (const std::string& name : *names) {
      Result<Tag> tag = world.tags().find(name);
      if (!tag) return tag.error();
      tags->push_back(tag.value());
    }
  return c;
}

template <int D>
Result<CompiledCondition> Rules<D>::Impl::compile_condition(const Condition& condition, bool has_self,
                                                            bool has_other) const {
  CompiledCondition c{condition};
  using Kind = Condition::Kind;
  const bool sided = condition.kind == Kind::touches || condition.kind == Kind::is || condition.kind == Kind::state;
  if (sided && !(condition.side == Side::self ? has_self : has_other))
    return Error{{},
                 fmt::format("a condition asks for {}, and what starts it has none",
                             condition.side == Side::self ? "self" : "other"),
                 "a condition on a number or a count"};
  if (condition.kind == Kind::number) {
    Result<NumberName> n = check_number(condition.number, has_other, false);
    if (!n) return n.error();
    c.number = n.value();
    if (c.number.whose == NumberName::Whose::self && !has_self)
      return Error{{}, fmt::format("number '{}': what starts it has no self", condition.number), "world.NAME"};
  } else {
    Result<Who> who = Who::parse(condition.query, world.tags());
    if (!who) return who.error();
    c.who = who.value();
    if (condition.kind == Kind::count && !c.who.object().empty()) return Error{{}, "counts one object", "a tag query"};
  }
  if (!(condition.least <= condition.most))
    return Error{{}, fmt::format("from {} to {} there is nothing", condition.least, condition.most), "least <= most"};
  return c;
}

template <int D>
Result<Compiled<D>> Rules<D>::Impl::compile(const Reaction<D>& r) const {
  Compiled<D> c;
  const bool touch = std::holds_alternative<OnTouch>(r.when);
  bool has_self = touch;
  const auto wrong = [&](std::string text, std::string accepted) {
    return Error{{}, std::move(text), std::move(accepted)};
  };
  if (const auto* on = std::get_if<OnTouch>(&r.when)) {
    if (!(on->approach >= 0 && on->impulse >= 0) || !std::isfinite(on->approach) || !std::isfinite(on->impulse))
      return wrong("a least speed or impulse is not usable", "numbers from 0 up");
    if (!on->from_side.allFinite()) return wrong("the side is not finite", "a direction");
    if ((on->approach > 0 || on->impulse > 0) && on->phase == Phase::end)
      return wrong("an end has no speed", "begin or during");
  } else if (const auto* number = std::get_if<OnNumber>(&r.when)) {
    Result<NumberName> n = check_number(number->number, false, false);
    if (!n) return n.error();
    if (!std::isfinite(number->reaches)) return wrong("the value to reach is not finite", "a number");
    c.watched = n.value();
    has_self = c.watched.whose == NumberName::Whose::self;
  } else if (const auto* count = std::get_if<OnCount>(&r.when)) {
    Result<TagQuery> query = TagQuery::parse(count->query, world.tags());
    if (!query) return query.error();
    c.counted = query.value();
  } else if (const auto* time = std::get_if<OnTime>(&r.when)) {
    if (!(time->at >= 0 && time->at <= 1e9))
      return wrong(fmt::format("time {} is not usable", time->at), "seconds from the start of the run");
  } else if (const auto* every = std::get_if<OnInterval>(&r.when)) {
    if (!(every->every > 0 && every->every <= 1e9) || !(every->from >= 0 && every->from <= 1e9))
      return wrong(fmt::format("every {} from {} is not usable", every->every, every->from), "seconds above 0");
    if (!(every->vary >= 0 && 2 * every->vary <= every->every))
      return wrong(fmt::format("vary {} is not usable", every->vary), "from 0 to half of every");
  } else if (const auto* input = std::get_if<OnInput>(&r.when)) {
    if (!is_plain_name(input->name)) return wrong(fmt::format("'{}' does not name an input", input->name), "a name");
  } else if (std::holds_alternative<OnState>(r.when)) {
    has_self = true;
  } else if (const auto* cue = std::get_if<OnCue>(&r.when)) {
    if (!is_plain_name(cue->name)) return wrong(fmt::format("'{}' does not name a cue", cue->name), "a name");
  }
  if (r.once == Once::per_visit && !touch) return wrong("once per visit without a touch", "ever, most or cooldown");
  if (!(r.apart >= 0 && r.apart <= 1e9) || !(r.cooldown >= 0 && r.cooldown <= 1e9))
    return wrong("apart or cooldown is not usable", "seconds, 0 or more");
  if (r.most && *r.most == 0) return wrong("most of 0: it could never fire", "a number from 1 up, or on = false");
  for (const auto& [from, to] : {std::pair(&r.all, &c.all), std::pair(&r.any, &c.any), std::pair(&r.none, &c.none)})
    for (const Condition& condition : *from) {
      Result<CompiledCondition> good = compile_condition(condition, has_self, touch);
      if (!good) return good.error();
      to->push_back(std::move(good).value());
    }
  for (const Effect& e : r.effects) {
    Result<CompiledEffect> good = compile_effect(e, has_self, touch);
    if (!good) return good.error();
    if (e.kind == Effect::Kind::remove && e.target.kind == Target::Kind::self) c.removes_self = true;
    if (e.kind == Effect::Kind::remove && e.target.kind == Target::Kind::other) c.removes_other = true;
    c.effects.push_back(std::move(good).value());
  }
  c.reaction = r;
  c.on = r.on;
  return c;
}

template Result<Compiled<2>> Rules<2>::Impl::compile(const Reaction<2>&) const;
template Result<Compiled<3>> Rules<3>::Impl::compile(const Reaction<3>&) const;

template Result<NumberName> Rules<2>::Impl::check_number(const std::string& text, bool has_other, bool each) const;
template Result<NumberName> Rules<3>::Impl::check_number(const std::string& text, bool has_other, bool each) const;
template Result<CompiledEffect> Rules<2>::Impl::compile_effect(const Effect& e, bool has_self, bool has_other) const;
template Result<CompiledEffect> Rules<3>::Impl::compile_effect(const Effect& e, bool has_self, bool has_other) const;
template Result<CompiledCondition> Rules<2>::Impl::compile_condition(const Condition& condition, bool has_self, bool has_other) const;
template Result<CompiledCondition> Rules<3>::Impl::compile_condition(const Condition& condition, bool has_self, bool has_other) const;

}  // namespace colvik
