#include <colvik/reaction.hpp>

namespace colvik {

std::string_view name_of(Effect::Kind kind) {
  switch (kind) {
    case Effect::Kind::add: return "add";
    case Effect::Kind::damage: return "damage";
    case Effect::Kind::remove: return "remove";
    case Effect::Kind::hide: return "hide";
    case Effect::Kind::show: return "show";
    case Effect::Kind::retag: return "retag";
    case Effect::Kind::stop: return "stop";
    default: return "finish";
  }
}

namespace effects {

static Effect on(Effect::Kind kind, Side side, double after) {
  Effect e;
  e.kind = kind, e.side = side, e.after = after;
  return e;
}

Effect add(std::string number, double by, double after) {
  Effect e = on(Effect::Kind::add, Side::self, after);
  e.number = std::move(number), e.by = by;
  return e;
}
Effect damage(Side side, double by, double after) {
  Effect e = on(Effect::Kind::damage, side, after);
  e.by = by;
  return e;
}
Effect remove(Side side, double after) { return on(Effect::Kind::remove, side, after); }
Effect hide(Side side, double after) { return on(Effect::Kind::hide, side, after); }
Effect show(Side side, double after) { return on(Effect::Kind::show, side, after); }
Effect retag(Side side, std::vector<std::string> give, std::vector<std::string> take, double after) {
  Effect e = on(Effect::Kind::retag, side, after);
  e.give = std::move(give), e.take = std::move(take);
  return e;
}
Effect stop(Side side, double after) { return on(Effect::Kind::stop, side, after); }
Effect finish(std::string outcome, double after) {
  Effect e = on(Effect::Kind::finish, Side::self, after);
  e.outcome = std::move(outcome);
  return e;
}

}  // namespace effects
}  // namespace colvik
