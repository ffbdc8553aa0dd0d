// Checks the start, guards and limits of a reaction, and resolves their names.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "rules/rules_impl.h"

namespace colvik {

using rules::Compiled;
using rules::CompiledCondition;
using rules::CompiledEffect;
using rules::is_duration;
using rules::NumberName;
using rules::unusable;

namespace rules {

// "world.parcels": whose number it is, and its name.
Result<NumberName> read_number_name(const std::string& text) {
  constexpr std::string_view kAccepted = "world.NAME, self.NAME, other.NAME or @OBJECT.NAME";
  const std::size_t dot = text.rfind('.');
  const std::string owner = text.substr(0, dot);
  NumberName n;
  if (owner == "world") n.whose = NumberName::Whose::world;
  else if (owner == "self") n.whose = NumberName::Whose::self;
  else if (owner == "other") n.whose = NumberName::Whose::other;
  else if (owner == "each") n.whose = NumberName::Whose::each;
  else if (owner.starts_with('@') && is_plain_name(owner.substr(1))) {
    n.whose = NumberName::Whose::object;
    n.object = owner.substr(1);
  } else
    return Error{
        {}, fmt::format("number '{}' does not say whose it is", text), std::string(kAccepted)};
  n.name = dot == std::string::npos ? "" : text.substr(dot + 1);
  if (!is_plain_name(n.name))
    return Error{{}, fmt::format("number '{}' lacks a name", text), std::string(kAccepted)};
  return n;
}

}  // namespace rules

template <int D>
Result<NumberName> Rules<D>::Impl::check_number(const std::string& text, bool has_other,
                                                bool each) const {
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
    return Error{
        {}, fmt::format("number '{}': only a touch has an other", text), "world.NAME or self.NAME"};
  if (name.whose == NumberName::Whose::each && !each)
    return Error{{},
                 fmt::format("number '{}': only an effect has a target", text),
                 "world.NAME or self.NAME"};
  return n;
}

template <int D>
Result<CompiledCondition> Rules<D>::Impl::compile_condition(const Condition& condition,
                                                            bool has_self, bool has_other) const {
  CompiledCondition c{condition};
  using Kind = Condition::Kind;
  const bool sided = condition.kind == Kind::touches || condition.kind == Kind::is ||
                     condition.kind == Kind::state;
  if (sided && !(condition.side == Side::self ? has_self : has_other))
    return Error{{},
                 fmt::format("a condition needs {}, and what starts it has none",
                             condition.side == Side::self ? "self" : "other"),
                 "a condition on a number or a count"};
  if (condition.kind == Kind::number) {
    Result<NumberName> n = check_number(condition.number, has_other, false);
    if (!n) return n.error();
    c.number = n.value();
    if (c.number.whose == NumberName::Whose::self && !has_self)
      return Error{{},
                   fmt::format("number '{}': what starts it has no self", condition.number),
                   "world.NAME"};
  } else {
    Result<Who> who = Who::parse(condition.query, world.tags());
    if (!who) return who.error();
    c.who = who.value();
    if (condition.kind == Kind::count && !c.who.object().empty())
      return Error{{}, "counts one object", "a tag query"};
  }
  if (!(condition.least <= condition.most))
    return Error{{},
                 fmt::format("from {} to {} there is nothing", condition.least, condition.most),
                 "least <= most"};
  return c;
}

// Checks what starts a reaction and resolves its names: one function for each start.
template <int D>
struct Rules<D>::Impl::StartCompiler {
  const Impl& rules;
  Compiled<D>& out;

  Result<void> operator()(const OnTouch& on) const {
    if (!(on.approach >= 0 && on.impulse >= 0) || !std::isfinite(on.approach) ||
        !std::isfinite(on.impulse))
      return unusable("a least speed or impulse is not usable", "numbers from 0 up");
    if (!on.from_side.allFinite()) return unusable("the side is not finite", "a direction");
    if ((on.approach > 0 || on.impulse > 0) && on.phase == Phase::end)
      return unusable("an end has no speed", "begin or during");
    return {};
  }
  Result<void> operator()(const OnNumber& on) const {
    Result<NumberName> number = rules.check_number(on.number, false, false);
    if (!number) return number.error();
    if (!std::isfinite(on.reaches)) return unusable("the value to reach is not finite", "a number");
    out.watched = number.value();
    return {};
  }
  Result<void> operator()(const OnCount& on) const {
    Result<TagQuery> query = TagQuery::parse(on.query, rules.world.tags());
    if (!query) return query.error();
    out.counted = query.value();
    return {};
  }
  Result<void> operator()(const OnTime& on) const {
    if (is_duration(on.at)) return {};
    return unusable(fmt::format("time {} is not usable", on.at),
                    "seconds from the start of the run");
  }
  Result<void> operator()(const OnInterval& on) const {
    if (!(on.every > 0 && on.every <= rules::kMostSeconds) || !is_duration(on.from))
      return unusable(fmt::format("every {} from {} is not usable", on.every, on.from),
                      "seconds above 0");
    if (!(on.vary >= 0 && 2 * on.vary <= on.every))
      return unusable(fmt::format("vary {} is not usable", on.vary), "from 0 to half of every");
    return {};
  }
  Result<void> operator()(const OnStart&) const { return {}; }
  Result<void> operator()(const OnInput& on) const {
    if (is_plain_name(on.name)) return {};
    return unusable(fmt::format("'{}' does not name an input", on.name), "a name");
  }
  Result<void> operator()(const OnCue& on) const {
    if (is_plain_name(on.name)) return {};
    return unusable(fmt::format("'{}' does not name a cue", on.name), "a name");
  }
  Result<void> operator()(const OnState&) const { return {}; }
};

template <int D>
Result<Compiled<D>> Rules<D>::Impl::compile(const Reaction<D>& r) const {
  Compiled<D> c;
  if (auto good = std::visit(StartCompiler{*this, c}, r.when); !good) return good.error();
  const bool touch = std::holds_alternative<OnTouch>(r.when);
  const bool has_self =
      touch || std::holds_alternative<OnState>(r.when) ||
      (std::holds_alternative<OnNumber>(r.when) && c.watched.whose == NumberName::Whose::self);
  if (r.once == Once::per_visit && !touch)
    return unusable("once per visit without a touch", "ever, most or cooldown");
  if (!is_duration(r.apart) || !is_duration(r.cooldown))
    return unusable("apart or cooldown is not usable", "seconds, 0 or more");
  if (r.most && *r.most == 0)
    return unusable("most of 0: it could never fire", "a number from 1 up, or on = false");
  for (const auto& [from, to] :
       {std::pair(&r.all, &c.all), std::pair(&r.any, &c.any), std::pair(&r.none, &c.none)})
    for (const Condition& condition : *from) {
      Result<CompiledCondition> good = compile_condition(condition, has_self, touch);
      if (!good) return good.error();
      to->push_back(std::move(good).value());
    }
  for (const Effect& e : r.effects) {
    Result<CompiledEffect> good = compile_effect(e, has_self, touch);
    if (!good) return good.error();
    if (const auto* removal = std::get_if<effects::Remove>(&e.what)) {
      if (removal->target.kind == Target::Kind::self) c.removes_self = true;
      if (removal->target.kind == Target::Kind::other) c.removes_other = true;
      if (removal->target.kind == Target::Kind::all) c.removes_all.push_back(good.value().all);
      if (removal->target.kind == Target::Kind::object)
        c.removes_named.push_back(removal->target.who);
    }
    c.effects.push_back(std::move(good).value());
  }
  c.reaction = r;
  c.on = r.on;
  return c;
}

template Result<Compiled<2>> Rules<2>::Impl::compile(const Reaction<2>&) const;
template Result<Compiled<3>> Rules<3>::Impl::compile(const Reaction<3>&) const;

template Result<NumberName> Rules<2>::Impl::check_number(const std::string& text, bool has_other,
                                                         bool each) const;
template Result<NumberName> Rules<3>::Impl::check_number(const std::string& text, bool has_other,
                                                         bool each) const;
template Result<CompiledCondition> Rules<2>::Impl::compile_condition(const Condition& condition,
                                                                     bool has_self,
                                                                     bool has_other) const;
template Result<CompiledCondition> Rules<3>::Impl::compile_condition(const Condition& condition,
                                                                     bool has_self,
                                                                     bool has_other) const;

}  // namespace colvik
