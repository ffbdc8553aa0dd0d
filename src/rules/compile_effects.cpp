// Checks the effects of a reaction and resolves their names: one function for each effect.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "rules/rules_impl.h"

namespace colvik {

using rules::CompiledEffect;
using rules::NumberName;
using rules::unusable;

namespace {

// Positions, velocities and impulses beyond this lose metres to rounding.
constexpr double kMostLength = 1e15;
constexpr double kMostSpeed = 1e12;
constexpr double kMostGravityScale = 1e6;

Result<void> check_seconds(std::string_view what, double seconds) {
  if (rules::is_duration(seconds)) return {};
  return unusable(fmt::format("{} {} is not usable", what, seconds), "seconds, 0 or more");
}
Result<void> check_finite(double by) {
  if (std::isfinite(by)) return {};
  return unusable("the change of a number is not finite", "a number");
}
// The first of several results that is an error.
template <class... Results>
Result<void> first_error(Results&&... results) {
  Result<void> first{};
  ((first = first ? std::forward<Results>(results) : std::move(first)), ...);
  return first;
}

}  // namespace

template <int D>
struct Rules<D>::Impl::EffectCompiler {
  const Impl& rules;
  bool has_self;
  bool has_other;
  std::string_view name;
  CompiledEffect& out;

  Result<void> operator()(const effects::Add& e) const {
    return first_error(amount(e.by), number(e.number, e.each));
  }
  Result<void> operator()(const effects::Set& e) const {
    return first_error(amount(e.to), number(e.number, e.each));
  }
  Result<void> operator()(const effects::Clamp& e) const {
    if (auto good = number(e.number, e.each); !good) return good;
    if (e.least <= e.most) return {};
    return unusable(fmt::format("clamp from {} to {} leaves nothing", e.least, e.most),
                    "from <= to");
  }
  Result<void> operator()(const effects::Damage& e) const {
    if (auto good = first_error(amount(e.by), target(e.target)); !good) return good;
    if (!(e.by.by > 0))
      return unusable(fmt::format("damage of {} is not usable", e.by.by), "a number above 0");
    return check_seconds("safe time of", e.safe);
  }
  Result<void> operator()(const effects::Remove& e) const { return target(e.target); }
  Result<void> operator()(const effects::Hide& e) const { return target(e.target); }
  Result<void> operator()(const effects::Show& e) const { return target(e.target); }
  Result<void> operator()(const effects::Retag& e) const {
    if (auto good = target(e.target); !good) return good;
    if (e.give.empty() && e.take.empty())
      return unusable("retag changes nothing", "tags to give or take");
    return first_error(tags(e.give, out.give), tags(e.take, out.take));
  }
  Result<void> operator()(const effects::Stop& e) const { return target(e.target); }
  Result<void> operator()(const effects::Send& e) const {
    if (auto good = target(e.target); !good) return good;
    if (!(e.speed > 0 && e.speed <= kMostSpeed && e.within >= 0 && e.within <= kMostSpeed))
      return unusable(fmt::format("a speed of {} is not usable", e.speed), "a number above 0");
    const auto* object = std::get_if<Target>(&e.to);
    return object != nullptr ? one(*object) : vectors({std::get<Direction>(e.to)});
  }
  Result<void> operator()(const effects::Bounce& e) const {
    if (auto good = first_error(vectors({e.axis}), target(e.target)); !good) return good;
    if (!has_other && e.axis.isZero(0))
      return unusable("bounce without a touch", "an axis to turn the velocity round");
    if (out.effect.after > 0)
      return unusable("bounce after a delay", "at once: only then is it known how they touched");
    return {};
  }
  Result<void> operator()(const effects::Launch& e) const {
    return first_error(vectors({e.velocity}), target(e.target));
  }
  Result<void> operator()(const effects::Push& e) const {
    if (auto good = first_error(vectors({e.impulse}), target(e.target)); !good) return good;
    if (e.impulse.isZero(0)) return unusable("push with no impulse", "an impulse, or away");
    return {};
  }
  Result<void> operator()(const effects::PushAway& e) const {
    if (auto good = first_error(check_finite(e.strength), target(e.target)); !good) return good;
    if (!has_other) return unusable("push away without a touch", "an impulse");
    return {};
  }
  Result<void> operator()(const effects::Teleport& e) const {
    if (auto good = target(e.target); !good) return good;
    const auto* spot = std::get_if<effects::SpotOf>(&e.to);
    return spot != nullptr ? one(spot->object) : vectors({std::get<Direction>(e.to)});
  }
  Result<void> operator()(const effects::Spawn& e) const {
    if (auto good = vectors({e.velocity, e.spin}); !good) return good;
    if (e.excepts)
      if (auto good = one(*e.excepts); !good) return good;
    if (rules.world.kind(e.kind) == nullptr)
      return unusable(fmt::format("no kind is named '{}'", e.kind), "a declared kind");
    if (const auto* spot = std::get_if<effects::SpotOf>(&e.where))
      return first_error(vectors({spot->offset}), one(spot->object));
    const auto* position = std::get_if<Direction>(&e.where);
    return position != nullptr ? vectors({*position}) : Result<void>{};
  }
  Result<void> operator()(const effects::Attach& e) const {
    return first_error(vectors({e.step}), target(e.target), one(e.to));
  }
  Result<void> operator()(const effects::Detach& e) const { return target(e.target); }
  Result<void> operator()(const effects::Drop& e) const { return target(e.target); }
  Result<void> operator()(const effects::Except& e) const {
    return first_error(target(e.target), check_seconds("an exception of", e.seconds), one(e.whom));
  }
  Result<void> operator()(const effects::SwitchCollider& e) const { return target(e.target); }
  Result<void> operator()(const effects::SwitchMotion& e) const { return target(e.target); }
  Result<void> operator()(const effects::Weigh& e) const {
    if (auto good = target(e.target); !good) return good;
    if (std::abs(e.scale) <= kMostGravityScale) return {};
    return unusable(fmt::format("scale {} is not usable", e.scale), "a number up to 1e6");
  }
  Result<void> operator()(const effects::Mirror& e) const { return target(e.target); }
  Result<void> operator()(const effects::DropThrough& e) const { return target(e.target); }
  Result<void> operator()(const effects::SwitchReaction&) const { return {}; }
  Result<void> operator()(const effects::Cue& e) const {
    if (is_plain_name(e.name)) return {};
    return unusable(fmt::format("'{}' does not name a cue", e.name), "letters and digits");
  }
  Result<void> operator()(const effects::Restart&) const { return {}; }
  Result<void> operator()(const effects::Finish& e) const {
    if (e.outcome.empty()) return unusable("finish lacks an outcome", "a word such as won or lost");
    const auto is_control = [](char c) {
      return static_cast<unsigned char>(c) < 0x20 || c == 0x7f;
    };
    if (std::none_of(e.outcome.begin(), e.outcome.end(), is_control)) return {};
    return unusable("the outcome has a control character", "printable text");
  }

 private:
  Result<void> exists(const Target& t) const {
    if ((t.kind == Target::Kind::self && !has_self) ||
        (t.kind == Target::Kind::other && !has_other))
      return unusable(
          fmt::format("'{}' has nobody to act on: what starts it has no {}", name, t.text()),
          has_self ? "self, @OBJECT or all QUERY" : "@OBJECT or all QUERY");
    if (t.kind == Target::Kind::object && !is_plain_name(t.who))
      return unusable(fmt::format("'@{}' does not name an object", t.who),
                      "'@' and an object's name");
    return {};
  }
  // Whom the effect acts on.
  Result<void> target(const Target& t) const {
    if (auto good = exists(t); !good) return good;
    if (t.kind != Target::Kind::all) return {};
    Result<TagQuery> all = TagQuery::parse(t.who, rules.world.tags());
    if (!all) return all.error();
    out.all = all.value();
    return {};
  }
  // A second object, such as whom the target is attached to.
  Result<void> one(const Target& t) const {
    if (t.kind == Target::Kind::all)
      return unusable(fmt::format("'{}' to all of a query", name), "one object");
    return exists(t);
  }
  Result<void> number(const std::string& text, const Target& each) const {
    Result<NumberName> n = rules.check_number(text, has_other, true);
    if (!n) return n.error();
    out.number = n.value();
    if (out.number.whose == NumberName::Whose::self && !has_self)
      return unusable(fmt::format("number '{}': what starts it has no self", text),
                      "world.NAME or @OBJECT.NAME");
    return out.number.whose == NumberName::Whose::each ? target(each) : Result<void>{};
  }
  Result<void> amount(const Amount& given) const {
    if (auto good = check_finite(given.by); !good || given.of.empty()) return good;
    Result<NumberName> n = rules.check_number(given.of, has_other, false);
    if (!n) return n.error();
    out.amount = n.value();
    if (out.amount.whose == NumberName::Whose::self && !has_self)
      return unusable(fmt::format("number '{}': what starts it has no self", given.of),
                      "world.NAME or @OBJECT.NAME");
    return {};
  }
  Result<void> vectors(std::initializer_list<Direction> all) const {
    for (const Direction& v : all)
      if (!v.allFinite() || v.norm() > kMostLength)
        return unusable(fmt::format("a vector of '{}' is not usable", name), "finite numbers");
    return {};
  }
  Result<void> tags(const std::vector<std::string>& names, std::vector<Tag>& to) const {
    for (const std::string& text : names) {
      Result<Tag> tag = rules.world.tags().find(text);
      if (!tag) return tag.error();
      to.push_back(tag.value());
    }
    return {};
  }
};

template <int D>
Result<CompiledEffect> Rules<D>::Impl::compile_effect(const Effect& e, bool has_self,
                                                      bool has_other) const {
  CompiledEffect c{e};
  if (auto good = check_seconds("delay", e.after); !good) return good.error();
  const auto good = std::visit(EffectCompiler{*this, has_self, has_other, name_of(e), c}, e.what);
  if (!good) return good.error();
  return c;
}

template Result<CompiledEffect> Rules<2>::Impl::compile_effect(const Effect& e, bool has_self,
                                                               bool has_other) const;
template Result<CompiledEffect> Rules<3>::Impl::compile_effect(const Effect& e, bool has_self,
                                                               bool has_other) const;

}  // namespace colvik
