#include <colvik/reaction.hpp>

namespace colvik {

std::string_view name_of(Effect::Kind kind) {
  static constexpr std::string_view kNames[] = {
      "add",          "set",         "clamp",        "damage", "remove",    "hide",       "show",  "retag",
      "stop",         "send",        "bounce",       "launch", "push",      "teleport",   "spawn", "attach",
      "detach",       "drop_last",   "drop_all",     "except", "switch_on", "switch_off", "weigh", "mirror",
      "drop_through", "reaction_on", "reaction_off", "cue",    "restart",   "finish"};
  static_assert(std::size(kNames) == static_cast<std::size_t>(Effect::Kind::finish) + 1, "one name for each");
  return kNames[static_cast<std::size_t>(kind)];
}

std::string_view name_of(State state) {
  static constexpr std::string_view kNames[] = {"shown", "asleep", "moving", "attached", "mirrored", "standing"};
  return kNames[static_cast<std::size_t>(state)];
}

Target Target::object(std::string name) {
  Target t;
  t.kind = Kind::object, t.who = std::move(name);
  return t;
}
Target Target::all(std::string query) {
  Target t;
  t.kind = Kind::all, t.who = std::move(query);
  return t;
}
std::string Target::text() const {
  switch (kind) {
    case Kind::self: return "self";
    case Kind::other: return "other";
    case Kind::object: return "@" + who;
    default: return "all " + who;
  }
}

namespace effects {

static Effect on(Effect::Kind kind, Target target, double after) {
  Effect e;
  e.kind = kind, e.target = std::move(target), e.after = after;
  return e;
}
static Effect named(Effect::Kind kind, std::string name, double after) {
  Effect e = on(kind, Side::self, after);
  e.name = std::move(name);
  return e;
}
static Effect of_number(Effect::Kind kind, std::string number, double by, double after) {
  Effect e = on(kind, Side::self, after);
  e.number = std::move(number), e.by = by;
  return e;
}

Effect add(std::string number, double by, double after) {
  return of_number(Effect::Kind::add, std::move(number), by, after);
}
Effect set(std::string number, double to, double after) {
  return of_number(Effect::Kind::set, std::move(number), to, after);
}
Effect clamp(std::string number, double least, double most, double after) {
  Effect e = of_number(Effect::Kind::clamp, std::move(number), 0, after);
  e.least = least, e.most = most;
  return e;
}
Effect damage(Target target, double by, double after, double safe) {
  Effect e = on(Effect::Kind::damage, std::move(target), after);
  e.by = by, e.safe = safe;
  return e;
}
Effect remove(Target target, double after) { return on(Effect::Kind::remove, std::move(target), after); }
Effect hide(Target target, double after) { return on(Effect::Kind::hide, std::move(target), after); }
Effect show(Target target, double after) { return on(Effect::Kind::show, std::move(target), after); }
Effect retag(Target target, std::vector<std::string> give, std::vector<std::string> take, double after) {
  Effect e = on(Effect::Kind::retag, std::move(target), after);
  e.give = std::move(give), e.take = std::move(take);
  return e;
}
Effect stop(Target target, double after) { return on(Effect::Kind::stop, std::move(target), after); }
Effect send(Target target, Direction place, double speed, double within, double after) {
  Effect e = on(Effect::Kind::send, std::move(target), after);
  e.vector = place, e.speed = speed, e.within = within, e.placed = true;
  return e;
}
Effect send(Target target, Target to, double speed, double within, double after) {
  Effect e = on(Effect::Kind::send, std::move(target), after);
  e.to = std::move(to), e.speed = speed, e.within = within;
  return e;
}
Effect bounce(Target target, Direction axis) {
  Effect e = on(Effect::Kind::bounce, std::move(target), 0);
  e.vector = axis;
  return e;
}
Effect launch(Target target, Direction velocity, bool own_frame, double after) {
  Effect e = on(Effect::Kind::launch, std::move(target), after);
  e.velocity = velocity, e.own_frame = own_frame;
  return e;
}
Effect push(Target target, Direction impulse, bool own_frame, double after) {
  Effect e = on(Effect::Kind::push, std::move(target), after);
  e.vector = impulse, e.own_frame = own_frame;
  return e;
}
Effect push_away(Target target, double strength, bool by_speed, double least) {
  Effect e = on(Effect::Kind::push, std::move(target), 0);
  e.by = strength, e.least = least, e.by_speed = by_speed, e.away = true;
  return e;
}
Effect teleport(Target target, Direction place, double after) {
  Effect e = on(Effect::Kind::teleport, std::move(target), after);
  e.vector = place, e.placed = true;
  return e;
}
Effect teleport(Target target, Target to, std::string spot, bool turned, double after) {
  Effect e = on(Effect::Kind::teleport, std::move(target), after);
  e.to = std::move(to), e.spot = std::move(spot), e.turned = turned;
  return e;
}
Effect spawn(std::string kind, Direction place, Direction velocity, double after, Direction spin) {
  Effect e = named(Effect::Kind::spawn, std::move(kind), after);
  e.vector = place, e.velocity = velocity, e.spin = spin, e.placed = true;
  return e;
}
Effect spawn_at(std::string kind, Target of, std::string spot, Direction offset, Direction velocity, double after,
                Direction spin) {
  Effect e = named(Effect::Kind::spawn, std::move(kind), after);
  e.to = std::move(of), e.spot = std::move(spot), e.vector = offset, e.velocity = velocity, e.own_frame = true;
  e.spin = spin;
  return e;
}
Effect spawn_in(std::string kind, const Bounds<3>& region, std::uint64_t seed, double after) {
  Effect e = named(Effect::Kind::spawn, std::move(kind), after);
  e.region = region, e.seed = seed;
  return e;
}
Effect attach(Target target, Target to, std::string spot, Direction step, double after) {
  Effect e = on(Effect::Kind::attach, std::move(target), after);
  e.to = std::move(to), e.spot = std::move(spot), e.vector = step;
  return e;
}
Effect detach(Target target, double after) { return on(Effect::Kind::detach, std::move(target), after); }
Effect drop_last(Target target, double after) { return on(Effect::Kind::drop_last, std::move(target), after); }
Effect drop_all(Target target, double after) { return on(Effect::Kind::drop_all, std::move(target), after); }
Effect except(Target target, Target whom, double seconds, bool until_apart, double after) {
  Effect e = on(Effect::Kind::except, std::move(target), after);
  e.to = std::move(whom), e.safe = seconds, e.until_apart = until_apart;
  return e;
}
Effect switch_collider(Target target, std::size_t collider, bool on_now, double after) {
  Effect e = on(on_now ? Effect::Kind::switch_on : Effect::Kind::switch_off, std::move(target), after);
  e.collider = collider;
  return e;
}
Effect switch_motion(Target target, bool on_now, double after) {
  Effect e = on(on_now ? Effect::Kind::switch_on : Effect::Kind::switch_off, std::move(target), after);
  e.motion = true;
  return e;
}
Effect weigh(Target target, double scale, double after) {
  Effect e = on(Effect::Kind::weigh, std::move(target), after);
  e.by = scale;
  return e;
}
Effect switch_reaction(std::string reaction, bool on_now, double after) {
  return named(on_now ? Effect::Kind::reaction_on : Effect::Kind::reaction_off, std::move(reaction), after);
}
Effect mirror(Target target, bool back, double after) {
  Effect e = on(Effect::Kind::mirror, std::move(target), after);
  e.turns_back = back;
  return e;
}
Effect drop_through(Target target, double after) { return on(Effect::Kind::drop_through, std::move(target), after); }
Effect restart(double after) { return on(Effect::Kind::restart, Side::self, after); }
Effect cue(std::string name, double after) { return named(Effect::Kind::cue, std::move(name), after); }
Effect finish(std::string outcome, double after) { return named(Effect::Kind::finish, std::move(outcome), after); }

}  // namespace effects
}  // namespace colvik
