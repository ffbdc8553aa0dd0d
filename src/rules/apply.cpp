// What reactions do: one function for each effect. While the world notifies its listeners, it
// defers each change to the end of the step.
#include <colvik/chance.hpp>

#include <algorithm>
#include <cmath>

#include "rules/rules_impl.h"

namespace colvik {

using rules::Moment;

template <int D>
std::vector<ObjectId> Rules<D>::Impl::whom(const Target& target, const TagQuery& all,
                                           const Moment<D>& m) const {
  std::vector<ObjectId> ids;
  const auto add = [&](const std::optional<ObjectId>& id) {
    if (id && world.alive(*id)) ids.push_back(*id);
  };
  switch (target.kind) {
    case Target::Kind::self: add(m.self); break;
    case Target::Kind::other: add(m.other); break;
    case Target::Kind::object: add(world.find(target.who)); break;
    default:
      for (const ObjectId id : world.objects())
        if (world.object(id).active && all.matches(world.object(id).tags)) ids.push_back(id);
  }
  return ids;
}

// Each returns whether it changed something.
template <int D>
struct Rules<D>::Impl::EffectApplier {
  Impl& rules;
  World<D>& world;
  const rules::CompiledEffect& compiled;
  std::size_t reaction;
  std::size_t effect;
  const Moment<D>& moment;

  bool operator()(const effects::Add& e) const {
    const std::optional<double> by = amount_of(e.by);
    return by && each_owner(e.each, [&](NumberOwner o) {
             return world.add_to_number(o, compiled.number.name, *by);
           });
  }
  bool operator()(const effects::Set& e) const {
    const std::optional<double> to = amount_of(e.to);
    return to && each_owner(e.each, [&](NumberOwner o) {
             return world.put_number(o, compiled.number.name, *to);
           });
  }
  bool operator()(const effects::Clamp& e) const {
    return each_owner(e.each, [&](NumberOwner o) {
      return world.clamp_number(o, compiled.number.name, e.least, e.most);
    });
  }
  bool operator()(const effects::Damage& e) const {
    const std::optional<double> by = amount_of(e.by);
    if (!by || *by <= 0) return false;  // another number may be 0 or less
    return each(e.target, [&](ObjectId id, const Object<D>& o) {
      const auto safe = rules.safe_until.find(o.serial);
      if (safe != rules.safe_until.end() && world.time() < safe->second) return true;
      if (e.safe > 0) {
        std::erase_if(rules.safe_until,
                      [&](const auto& known) { return known.second <= world.time(); });
        rules.safe_until[o.serial] = world.time() + e.safe;
      }
      return world.add_to_number({id}, kHealth, -*by, 0);
    });
  }
  bool operator()(const effects::Remove& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) {
      world.mark_going(id);
      return world.remove(id);
    });
  }
  bool operator()(const effects::Hide& e) const {
    return each(e.target,
                [&](ObjectId id, const Object<D>&) { return world.set_shown(id, false); });
  }
  bool operator()(const effects::Show& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) { return world.set_shown(id, true); });
  }
  bool operator()(const effects::Retag& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) {
      bool done = false;
      for (const Tag tag : compiled.give) done = world.give_tag(id, tag);
      for (const Tag tag : compiled.take) done = world.take_tag(id, tag);
      return done;
    });
  }
  bool operator()(const effects::Stop& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) { return world.stop(id); });
  }
  bool operator()(const effects::Send& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) {
      Approach<D> approach{kZero, {}, e.speed, e.within};
      if (const auto* to = std::get_if<Target>(&e.to)) {
        const std::optional<ObjectId> object = one(*to);
        if (!object || *object == id) return false;
        approach.object = world.object(*object).name;
      } else {
        approach.place = rules::in_world<D>(std::get<Direction>(e.to));
      }
      return world.set_motion(id, approach);
    });
  }
  bool operator()(const effects::Bounce& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>& o) {
      const Vec<D> normal = normal_at(id);
      const Vec<D> axis =
          e.axis.isZero(0) ? normal : Vec<D>(rules::in_world<D>(e.axis).normalized());
      const double along = axis.dot(o.velocity);
      // Along an axis the velocity reverses from either side, if that side is where the touch is.
      const bool approaches =
          e.axis.isZero(0) ? along < 0 : !moment.touch || along * axis.dot(normal) < 0;
      if (!approaches || along == 0) return false;
      return world.set_velocity(id, o.velocity - 2 * along * axis, o.spin);
    });
  }
  bool operator()(const effects::Launch& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>& o) {
      return world.set_velocity(id, in_frame(id, e.velocity, e.own_frame), o.spin);
    });
  }
  bool operator()(const effects::Push& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) {
      return world.apply_impulse(id, in_frame(id, e.impulse, e.own_frame));
    });
  }
  bool operator()(const effects::PushAway& e) const {
    const double strength = e.by_speed ? std::max(e.least, e.strength * moment.speed) : e.strength;
    return each(e.target, [&](ObjectId id, const Object<D>&) {
      return world.apply_impulse(id, strength * normal_at(id), moment.point);
    });
  }
  bool operator()(const effects::Teleport& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>& o) {
      if (const auto* position = std::get_if<Direction>(&e.to))
        return world.place(id, {rules::in_world<D>(*position), o.pose.rotation});
      const std::optional<Pose<D>> to = pose_of(std::get<effects::SpotOf>(e.to));
      if (!to) return false;
      if (!e.turned) return world.place(id, {to->position, o.pose.rotation});
      const Rotation<D> turn = to->rotation * o.pose.rotation.inverse();
      const Vec<D> velocity = turn * o.velocity;
      const Spin<D> spin = o.spin;
      return world.place(id, *to) &&
             (o.body == BodyKind::fixed || world.set_velocity(id, velocity, spin));
    });
  }
  bool operator()(const effects::Weigh& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) {
      return world.set_gravity_scale(id, e.scale);
    });
  }
  bool operator()(const effects::Mirror& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>& o) {
      return world.set_mirrored(id, !e.back && !o.mirrored).ok();
    });
  }
  bool operator()(const effects::DropThrough& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) { return world.drop_through(id); });
  }
  bool operator()(const effects::Attach& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) { return attach(e, id); });
  }
  bool operator()(const effects::Detach& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) {
      forget_carried(id);
      return world.detach(id);
    });
  }
  bool operator()(const effects::Drop& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) {
      bool done = false;
      for (std::size_t k = rules.carried.size(); k-- > 0 && !(done && !e.all);) {
        if (rules.carried[k].parent != id) continue;
        done = world.detach(rules.carried[k].child) || done;
        rules.carried.erase(rules.carried.begin() + static_cast<std::ptrdiff_t>(k));
      }
      return done;
    });
  }
  bool operator()(const effects::Except& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) {
      const std::optional<ObjectId> whom = one(e.whom);
      Exception exception;
      if (e.seconds > 0) exception.seconds = e.seconds;
      exception.until_apart = e.until_apart;
      return whom && world.except(id, *whom, exception);
    });
  }
  bool operator()(const effects::SwitchCollider& e) const {
    return each(e.target, [&](ObjectId id, const Object<D>&) {
      return world.switch_collider(id, e.collider, e.on);
    });
  }
  bool operator()(const effects::SwitchMotion& e) const {
    return each(e.target,
                [&](ObjectId id, const Object<D>&) { return world.switch_motion(id, e.on); });
  }
  bool operator()(const effects::SwitchReaction& e) const {
    bool done = false;
    for (std::size_t i = 0; i < rules.reactions.size(); ++i)
      if (rules.reports[i].name == e.reaction) {
        rules.reactions[i].on = e.on;
        done = true;
      }
    return done;
  }
  bool operator()(const effects::Cue& e) const {
    rules.cues.insert(e.name);
    return true;
  }
  bool operator()(const effects::Restart&) const { return rules.restart = true; }
  bool operator()(const effects::Finish& e) const {
    if (!rules.outcome) rules.outcome = e.outcome;
    return true;
  }
  bool operator()(const effects::Spawn& e) const {
    const Vec<D> velocity = rules::in_world<D>(e.velocity);
    if (const auto* position = std::get_if<Direction>(&e.where))
      return world.spawn(e.kind, {rules::in_world<D>(*position), {}}, velocity, spin_of(e),
                         excepted(e));
    if (const auto* anywhere = std::get_if<effects::Anywhere>(&e.where))
      return world.spawn(e.kind, {draw(*anywhere), {}}, velocity, spin_of(e), excepted(e));
    return spawn_at(std::get<effects::SpotOf>(e.where), e);
  }

 private:
  // Calls change(id, object) for each target; true if one of the calls is.
  template <class Change>
  bool each(const Target& target, const Change& change) const {
    bool done = false;
    for (const ObjectId id : rules.whom(target, compiled.all, moment))
      done = change(id, world.object(id)) || done;
    return done;
  }
  // Calls change(owner) for each owner of the effect's number.
  template <class Change>
  bool each_owner(const Target& target, const Change& change) const {
    using Whose = rules::NumberName::Whose;
    const auto change_of = [&](ObjectId id, const Object<D>&) { return change(NumberOwner{id}); };
    switch (compiled.number.whose) {
      case Whose::world: return change(NumberOwner{});
      case Whose::self: return each(Side::self, change_of);
      case Whose::other: return each(Side::other, change_of);
      case Whose::object: return each(Target::object(compiled.number.object), change_of);
      default: return each(target, change_of);
    }
  }
  std::optional<ObjectId> one(const Target& target) const {
    const std::vector<ObjectId> ids = rules.whom(target, {}, moment);
    return ids.empty() ? std::nullopt : std::optional(ids.front());
  }
  std::optional<double> amount_of(const Amount& amount) const {
    if (amount.of.empty()) return amount.by;
    const std::optional<double> value = rules.value_of(compiled.amount, moment);
    return value ? std::optional(amount.by * *value) : std::nullopt;
  }
  std::optional<ObjectId> excepted(const effects::Spawn& e) const {
    return e.excepts ? one(*e.excepts) : std::nullopt;
  }
  // Of the touch, pointing at the object.
  Vec<D> normal_at(ObjectId id) const {
    return moment.self == id ? moment.normal : Vec<D>(-moment.normal);
  }
  Vec<D> in_frame(ObjectId id, const Direction& v, bool own_frame) const {
    const Vec<D> vector = rules::in_world<D>(v);
    return own_frame ? rules.own_direction(id, vector) : vector;
  }
  std::optional<Pose<D>> pose_of(const effects::SpotOf& place) const {
    const std::optional<ObjectId> object = one(place.object);
    return object ? world.spot(*object, place.spot) : std::nullopt;
  }
  static Spin<D> spin_of(const effects::Spawn& e) {
    if constexpr (D == 2) return Spin<2>(e.spin[2]);
    else return e.spin;
  }

  // The same position in each run: chance depends on the seed and the number of the firing only.
  Vec<D> draw(const effects::Anywhere& anywhere) const {
    const std::uint64_t nth = rules.reports[reaction].fired;
    Vec<D> position = kZero;
    for (int i = 0; i < D; ++i) {
      const double part =
          0.5 * (1 + chance(anywhere.seed, D * nth + static_cast<std::uint64_t>(i)));
      position[i] = anywhere.region.lo[i] + part * (anywhere.region.hi[i] - anywhere.region.lo[i]);
    }
    return position;
  }
  // Offset, velocity and spin are in the spot's frame, which is mirrored with its object.
  bool spawn_at(const effects::SpotOf& place, const effects::Spawn& e) const {
    const std::optional<ObjectId> of = one(place.object);
    const std::optional<Pose<D>> from = pose_of(place);
    if (!from) return false;
    const bool mirrored = world.object(*of).mirrored;
    const auto in_spot = [&](const Direction& direction) {
      Vec<D> v = rules::in_world<D>(direction);
      if (mirrored) v[0] = -v[0];
      return v;
    };
    Spin<D> spin = spin_of(e);
    if constexpr (D == 3) {
      if (mirrored) spin.template tail<2>() *= -1;  // an axis in a mirror
      spin = from->rotation * spin;
    } else if (mirrored) {
      spin = -spin;
    }
    return world.spawn(e.kind, {*from * in_spot(place.offset), from->rotation},
                       from->rotation * in_spot(e.velocity), spin, excepted(e));
  }
  bool attach(const effects::Attach& e, ObjectId id) const {
    const std::optional<ObjectId> to = one(e.to);
    if (!to) return false;
    std::optional<Pose<D>> on;
    if (!e.spot.empty() || !e.step.isZero(0)) {
      const auto nth =
          std::count_if(rules.carried.begin(), rules.carried.end(), [&](const rules::Carried& k) {
            return k.parent == *to && k.reaction == reaction && k.effect == effect;
          });
      const std::optional<Pose<D>> spot = world.spot(*to, e.spot);
      if (!spot) return false;
      on = world.object(*to).pose.relative(*spot);
      on->position += static_cast<double>(nth) * rules::in_world<D>(e.step);
    }
    if (!world.attach(id, *to, on)) return false;
    forget_carried(id);
    rules.carried.push_back({*to, id, reaction, effect});
    return true;
  }
  void forget_carried(ObjectId child) const {
    std::erase_if(rules.carried, [&](const rules::Carried& k) { return k.child == child; });
  }
};

// An effect that found nobody, or nothing to change, is counted.
template <int D>
void Rules<D>::Impl::apply(std::size_t index, std::size_t effect, const Moment<D>& m) {
  const rules::CompiledEffect& compiled = reactions[index].effects[effect];
  const EffectApplier applier{*this, world, compiled, index, effect, m};
  if (!std::visit(applier, compiled.effect.what)) ++reports[index].idle_effects;
}

template std::vector<ObjectId> Rules<2>::Impl::whom(const Target& target, const TagQuery& all,
                                                    const Moment<2>& m) const;
template std::vector<ObjectId> Rules<3>::Impl::whom(const Target& target, const TagQuery& all,
                                                    const Moment<3>& m) const;
template void Rules<2>::Impl::apply(std::size_t index, std::size_t effect, const Moment<2>& m);
template void Rules<3>::Impl::apply(std::size_t index, std::size_t effect, const Moment<3>& m);

}  // namespace colvik
