// What reactions do. The world is asked for each change; while it tells its listeners, that waits for the end of the
// step.
#include <algorithm>
#include <cmath>

#include <colvik/chance.hpp>
#include "rules/rules_impl.h"

namespace colvik {

using rules::Moment;

template <int D>
std::vector<ObjectId> Rules<D>::Impl::whom(const Target& target, const TagQuery& all, const Moment<D>& m) const {
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

// An effect that found nobody, or nothing to change, is counted.
template <int D>
void Rules<D>::Impl::apply(std::size_t index, std::size_t effect, const Moment<D>& m) {
  const rules::CompiledEffect& c = reactions[index].effects[effect];
  const Effect& e = c.effect;
  bool done = false;
  const auto set_reaction = [&](bool on) {
    for (std::size_t i = 0; i < reactions.size(); ++i)
      if (reports[i].name == e.name) reactions[i].on = on, done = true;
  };
  switch (e.kind) {
    case Effect::Kind::add:
    case Effect::Kind::set:
    case Effect::Kind::clamp: done = change_number(c, m); break;
    case Effect::Kind::spawn: done = spawn(c, m, reports[index].fired); break;
    case Effect::Kind::reaction_on: set_reaction(true); break;
    case Effect::Kind::reaction_off: set_reaction(false); break;
    case Effect::Kind::cue:
      cues.insert(e.name);
      done = true;
      break;
    case Effect::Kind::restart: done = restart = true; break;
    case Effect::Kind::finish:
      done = true;
      if (!outcome) outcome = e.name;
      break;
    default:
      for (const ObjectId id : whom(e.target, c.all, m)) done = act_on(index, effect, id, m) || done;
  }
  if (!done) ++reports[index].idle_effects;
}

template <int D>
bool Rules<D>::Impl::change_number(const rules::CompiledEffect& c, const Moment<D>& m) {
  using Whose = rules::NumberName::Whose;
  const auto change = [&](NumberOwner owner) {
    if (c.effect.kind == Effect::Kind::add) return world.add_to_number(owner, c.number.name, c.effect.by);
    if (c.effect.kind == Effect::Kind::set) return world.put_number(owner, c.number.name, c.effect.by);
    return world.clamp_number(owner, c.number.name, c.effect.least, c.effect.most);
  };
  if (c.number.whose == Whose::world) return change({});
  std::vector<ObjectId> owners;
  if (c.number.whose == Whose::each) owners = whom(c.effect.target, c.all, m);
  else if (c.number.whose == Whose::object) owners = whom(Target::object(c.number.object), {}, m);
  else owners = whom(c.number.whose == Whose::self ? Side::self : Side::other, {}, m);
  bool done = false;
  for (const ObjectId id : owners) done = change({id}) || done;
  return done;
}

// The pose that an effect speaks of: of the object it names, or of a spot on it.
template <int D>
std::optional<Pose<D>> Rules<D>::Impl::place_of(const Effect& e, const Moment<D>& m) const {
  const std::vector<ObjectId> of = whom(e.to, {}, m);
  return of.empty() ? std::nullopt : world.spot(of.front(), e.spot);
}

template <int D>
bool Rules<D>::Impl::act_on(std::size_t index, std::size_t effect, ObjectId id, const Moment<D>& m) {
  const rules::CompiledEffect& c = reactions[index].effects[effect];
  const Effect& e = c.effect;
  const Object<D>& o = world.object(id);
  const bool is_self = m.self == id;
  const auto in_frame = [&](const Direction& v) {
    const Vec<D> told = rules::in_world<D>(v);
    return e.own_frame ? own_direction(id, told) : told;
  };
  switch (e.kind) {
    case Effect::Kind::damage: {
      const auto safe = safe_until.find(o.serial);
      if (safe != safe_until.end() && world.time() < safe->second) return true;
      if (e.safe > 0) {
        std::erase_if(safe_until, [&](const auto& known) { return known.second <= world.time(); });
        safe_until[o.serial] = world.time() + e.safe;
      }
      return world.add_to_number({id}, kHealth, -e.by, 0);
    }
    case Effect::Kind::remove: world.mark_going(id); return world.remove(id);
    case Effect::Kind::hide: return world.set_shown(id, false);
    case Effect::Kind::show: return world.set_shown(id, true);
    case Effect::Kind::retag: {
      bool done = false;
      for (const Tag tag : c.give) done = world.give_tag(id, tag);
      for (const Tag tag : c.take) done = world.take_tag(id, tag);
      return done;
    }
    case Effect::Kind::stop: return world.stop(id);
    case Effect::Kind::send: {
      Approach<D> way{rules::in_world<D>(e.vector), {}, e.speed, e.within};
      if (!e.placed) {
        const std::vector<ObjectId> to = whom(e.to, {}, m);
        if (to.empty() || to.front() == id) return false;
        way.object = world.object(to.front()).name;
      }
      return world.set_motion(id, way);
    }
    case Effect::Kind::bounce: {
      const Vec<D> axis = e.vector.isZero(0) ? (is_self ? m.normal : Vec<D>(-m.normal))
                                             : Vec<D>(rules::in_world<D>(e.vector).normalized());
      const double along = axis.dot(o.velocity);
      // Along an axis it turns round from either side, as far as the touch is in its way.
      const bool approaches =
          e.vector.isZero(0) ? along < 0 : !m.touch || along * axis.dot(is_self ? m.normal : Vec<D>(-m.normal)) < 0;
      if (!approaches || along == 0) return false;
      return world.set_velocity(id, o.velocity - 2 * along * axis, o.spin);
    }
    case Effect::Kind::launch: return world.set_velocity(id, in_frame(e.velocity), o.spin);
    case Effect::Kind::push: {
      if (!e.away) return world.apply_impulse(id, in_frame(e.vector));
      const double strength = e.by_speed ? std::max(e.least, e.by * m.speed) : e.by;
      return world.apply_impulse(id, strength * (is_self ? m.normal : Vec<D>(-m.normal)), m.point);
    }
    case Effect::Kind::teleport: {
      if (e.placed) return world.place(id, {rules::in_world<D>(e.vector), o.pose.rotation});
      const std::optional<Pose<D>> to = place_of(e, m);
      if (!to) return false;
      if (!e.turned) return world.place(id, {to->position, o.pose.rotation});
      const Rotation<D> turn = to->rotation * o.pose.rotation.inverse();
      const Vec<D> velocity = turn * o.velocity;
      const Spin<D> spin = o.spin;
      return world.place(id, *to) && (o.body == BodyKind::fixed || world.set_velocity(id, velocity, spin));
    }
    case Effect::Kind::attach: {
      const std::vector<ObjectId> to = whom(e.to, {}, m);
      if (to.empty()) return false;
      std::optional<Pose<D>> on;
      if (!e.spot.empty() || !e.vector.isZero(0)) {
        std::size_t nth = 0;
        for (const rules::Carried& k : carried)
          nth += k.parent == to.front() && k.reaction == index && k.effect == effect ? 1 : 0;
        const std::optional<Pose<D>> spot = world.spot(to.front(), e.spot);
        if (!spot) return false;
        on = world.object(to.front()).pose.relative(*spot);
        on->position += static_cast<double>(nth) * rules::in_world<D>(e.vector);
      }
      if (!world.attach(id, to.front(), on)) return false;
      std::erase_if(carried, [&](const rules::Carried& k) { return k.child == id; });
      carried.push_back({to.front(), id, index, effect});
      return true;
    }
    case Effect::Kind::detach:
      std::erase_if(carried, [&](const rules::Carried& k) { return k.child == id; });
      return world.detach(id);
    case Effect::Kind::except: {
      const std::vector<ObjectId> from = whom(e.to, {}, m);
      Exception exception;
      if (e.safe > 0) exception.seconds = e.safe;
      exception.until_apart = e.until_apart;
      return !from.empty() && world.except(id, from.front(), exception);
    }
    case Effect::Kind::drop_last:
    case Effect::Kind::drop_all: {
      bool done = false;
      for (std::size_t k = carried.size(); k-- > 0 && !(done && e.kind == Effect::Kind::drop_last);) {
        if (carried[k].parent != id) continue;
        done = world.detach(carried[k].child) || done;
        carried.erase(carried.begin() + static_cast<std::ptrdiff_t>(k));
      }
      return done;
    }
    case Effect::Kind::switch_on:
    case Effect::Kind::switch_off: {
      const bool on = e.kind == Effect::Kind::switch_on;
      return e.motion ? world.switch_motion(id, on) : world.switch_collider(id, e.collider, on);
    }
    case Effect::Kind::mirror: return world.set_mirrored(id, !e.turns_back && !o.mirrored).ok();
    case Effect::Kind::drop_through: return world.drop_through(id);
    case Effect::Kind::weigh: return world.set_gravity_scale(id, e.by);
    default: return false;
  }
}

template <int D>
bool Rules<D>::Impl::spawn(const rules::CompiledEffect& c, const Moment<D>& m, std::uint64_t nth) {
  const Effect& e = c.effect;
  const Vec<D> vector = rules::in_world<D>(e.vector), velocity = rules::in_world<D>(e.velocity);
  Spin<D> spin;
  if constexpr (D == 2) spin = Spin<2>(e.spin[2]);
  else spin = e.spin;
  if (e.placed) return world.spawn(e.name, {vector, {}}, velocity, spin);
  if (e.region) {
    Vec<D> at = kZero;
    for (int i = 0; i < D; ++i) {
      const double part = 0.5 * (1 + chance(e.seed, D * nth + static_cast<std::uint64_t>(i)));
      at[i] = e.region->lo[i] + part * (e.region->hi[i] - e.region->lo[i]);
    }
    return world.spawn(e.name, {at, {}}, velocity, spin);
  }
  const std::optional<Pose<D>> from = place_of(e, m);
  if (!from) return false;
  const ObjectId of = whom(e.to, {}, m).front();
  // Told in the spot's frame, which is mirrored as its object is.
  const auto across = [&](Vec<D> v) {
    if (world.object(of).mirrored) v[0] = -v[0];
    return v;
  };
  if constexpr (D == 3) {
    if (world.object(of).mirrored) spin[1] = -spin[1], spin[2] = -spin[2];  // an axis in a mirror
    spin = from->rotation * spin;
  } else if (world.object(of).mirrored) {
    spin = -spin;
  }
  return world.spawn(e.name, {*from * across(vector), from->rotation}, from->rotation * across(velocity), spin);
}

template std::vector<ObjectId> Rules<2>::Impl::whom(const Target& target, const TagQuery& all, const Moment<2>& m) const;
template std::vector<ObjectId> Rules<3>::Impl::whom(const Target& target, const TagQuery& all, const Moment<3>& m) const;
template void Rules<2>::Impl::apply(std::size_t index, std::size_t effect, const Moment<2>& m);
template void Rules<3>::Impl::apply(std::size_t index, std::size_t effect, const Moment<3>& m);
template bool Rules<2>::Impl::change_number(const rules::CompiledEffect& c, const Moment<2>& m);
template bool Rules<3>::Impl::change_number(const rules::CompiledEffect& c, const Moment<3>& m);
template std::optional<Pose<2>> Rules<2>::Impl::place_of(const Effect& e, const Moment<2>& m) const;
template std::optional<Pose<3>> Rules<3>::Impl::place_of(const Effect& e, const Moment<3>& m) const;
template bool Rules<2>::Impl::act_on(std::size_t index, std::size_t effect, ObjectId id, const Moment<2>& m);
template bool Rules<3>::Impl::act_on(std::size_t index, std::size_t effect, ObjectId id, const Moment<3>& m);
template bool Rules<2>::Impl::spawn(const rules::CompiledEffect& c, const Moment<2>& m, std::uint64_t nth);
template bool Rules<3>::Impl::spawn(const rules::CompiledEffect& c, const Moment<3>& m, std::uint64_t nth);

}  // namespace colvik
