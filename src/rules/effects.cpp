#include <colvik/effect.hpp>
#include <colvik/reaction.hpp>

namespace colvik {
namespace {

using namespace effects;

struct Name {
  std::string_view operator()(const Add&) const { return "add"; }
  std::string_view operator()(const Set&) const { return "set"; }
  std::string_view operator()(const Clamp&) const { return "clamp"; }
  std::string_view operator()(const Damage&) const { return "damage"; }
  std::string_view operator()(const Remove&) const { return "remove"; }
  std::string_view operator()(const Hide&) const { return "hide"; }
  std::string_view operator()(const Show&) const { return "show"; }
  std::string_view operator()(const Retag&) const { return "retag"; }
  std::string_view operator()(const Stop&) const { return "stop"; }
  std::string_view operator()(const Send&) const { return "send"; }
  std::string_view operator()(const Bounce&) const { return "bounce"; }
  std::string_view operator()(const Launch&) const { return "launch"; }
  std::string_view operator()(const Push&) const { return "push"; }
  std::string_view operator()(const PushAway&) const { return "push"; }
  std::string_view operator()(const Teleport&) const { return "teleport"; }
  std::string_view operator()(const Spawn&) const { return "spawn"; }
  std::string_view operator()(const Attach&) const { return "attach"; }
  std::string_view operator()(const Detach&) const { return "detach"; }
  std::string_view operator()(const Drop& e) const { return e.all ? "drop_all" : "drop_last"; }
  std::string_view operator()(const Except&) const { return "except"; }
  std::string_view operator()(const SwitchCollider& e) const { return on_or_off(e.on); }
  std::string_view operator()(const SwitchMotion& e) const { return on_or_off(e.on); }
  std::string_view operator()(const Weigh&) const { return "weigh"; }
  std::string_view operator()(const Mirror&) const { return "mirror"; }
  std::string_view operator()(const DropThrough&) const { return "drop_through"; }
  std::string_view operator()(const SwitchReaction& e) const {
    return e.on ? "reaction_on" : "reaction_off";
  }
  std::string_view operator()(const Cue&) const { return "cue"; }
  std::string_view operator()(const Restart&) const { return "restart"; }
  std::string_view operator()(const Finish&) const { return "finish"; }

  static std::string_view on_or_off(bool on) { return on ? "switch_on" : "switch_off"; }
};

}  // namespace

std::string_view name_of(const Effect& effect) { return std::visit(Name{}, effect.what); }

std::string_view name_of(State state) {
  static constexpr std::string_view kNames[] = {"shown",    "asleep",   "moving",
                                                "attached", "mirrored", "standing"};
  return kNames[static_cast<std::size_t>(state)];
}

Target Target::object(std::string name) {
  Target t;
  t.kind = Kind::object;
  t.who = std::move(name);
  return t;
}
Target Target::all(std::string query) {
  Target t;
  t.kind = Kind::all;
  t.who = std::move(query);
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

Effect add(std::string number, Amount by, double after) {
  return {Add{std::move(number), std::move(by)}, after};
}
Effect set(std::string number, Amount to, double after) {
  return {Set{std::move(number), std::move(to)}, after};
}
Effect clamp(std::string number, double least, double most, double after) {
  return {Clamp{std::move(number), least, most}, after};
}
Effect damage(Target target, Amount by, double after, double safe) {
  return {Damage{std::move(target), std::move(by), safe}, after};
}
Effect remove(Target target, double after) { return {Remove{std::move(target)}, after}; }
Effect hide(Target target, double after) { return {Hide{std::move(target)}, after}; }
Effect show(Target target, double after) { return {Show{std::move(target)}, after}; }
Effect retag(Target target, std::vector<std::string> give, std::vector<std::string> take,
             double after) {
  return {Retag{std::move(target), std::move(give), std::move(take)}, after};
}
Effect stop(Target target, double after) { return {Stop{std::move(target)}, after}; }
Effect send(Target target, Direction position, double speed, double within, double after) {
  return {Send{std::move(target), position, speed, within}, after};
}
Effect send(Target target, Target to, double speed, double within, double after) {
  return {Send{std::move(target), std::move(to), speed, within}, after};
}
Effect bounce(Target target, Direction axis) { return {Bounce{std::move(target), axis}}; }
Effect launch(Target target, Direction velocity, bool own_frame, double after) {
  return {Launch{std::move(target), velocity, own_frame}, after};
}
Effect push(Target target, Direction impulse, bool own_frame, double after) {
  return {Push{std::move(target), impulse, own_frame}, after};
}
Effect push_away(Target target, double strength, bool by_speed, double least) {
  return {PushAway{std::move(target), strength, by_speed, least}};
}
Effect teleport(Target target, Direction position, double after) {
  return {Teleport{std::move(target), position}, after};
}
Effect teleport(Target target, Target to, std::string spot, bool turned, double after) {
  return {Teleport{std::move(target), SpotOf{std::move(to), std::move(spot)}, turned}, after};
}
Effect spawn(std::string kind, Direction position, Direction velocity, double after,
             Direction spin) {
  return {Spawn{std::move(kind), position, velocity, spin}, after};
}
Effect spawn_at(std::string kind, Target of, std::string spot, Direction offset, Direction velocity,
                double after, Direction spin) {
  return {Spawn{std::move(kind), SpotOf{std::move(of), std::move(spot), offset}, velocity, spin},
          after};
}
Effect spawn_in(std::string kind, const Bounds<3>& region, std::uint64_t seed, double after) {
  return {Spawn{std::move(kind), Anywhere{region, seed}}, after};
}
Effect attach(Target target, Target to, std::string spot, Direction step, double after) {
  return {Attach{std::move(target), std::move(to), std::move(spot), step}, after};
}
Effect detach(Target target, double after) { return {Detach{std::move(target)}, after}; }
Effect drop_last(Target target, double after) { return {Drop{std::move(target), false}, after}; }
Effect drop_all(Target target, double after) { return {Drop{std::move(target), true}, after}; }
Effect except(Target target, Target whom, double seconds, bool until_apart, double after) {
  return {Except{std::move(target), std::move(whom), seconds, until_apart}, after};
}
Effect switch_collider(Target target, std::size_t collider, bool on, double after) {
  return {SwitchCollider{std::move(target), collider, on}, after};
}
Effect switch_motion(Target target, bool on, double after) {
  return {SwitchMotion{std::move(target), on}, after};
}
Effect weigh(Target target, double scale, double after) {
  return {Weigh{std::move(target), scale}, after};
}
Effect mirror(Target target, bool back, double after) {
  return {Mirror{std::move(target), back}, after};
}
Effect drop_through(Target target, double after) { return {DropThrough{std::move(target)}, after}; }
Effect switch_reaction(std::string reaction, bool on, double after) {
  return {SwitchReaction{std::move(reaction), on}, after};
}
Effect cue(std::string name, double after) { return {Cue{std::move(name)}, after}; }
Effect restart(double after) { return {Restart{}, after}; }
Effect finish(std::string outcome, double after) { return {Finish{std::move(outcome)}, after}; }

}  // namespace effects
}  // namespace colvik
