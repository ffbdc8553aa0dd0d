// Reactions: what starts them, what holds them back, and what they do.
#include <fmt/format.h>

#include <algorithm>

#include "scene/scene_reader.h"

namespace colvik::scene {
namespace {

template <int D>
Direction padded(const Vec<D>& v) {
  Direction d = kZero;
  d.head<D>() = v;
  return d;
}
const std::vector<std::string>& frames() {
  static const std::vector<std::string> all{"world", "own"};
  return all;
}
const std::vector<std::string>& sides() {
  static const std::vector<std::string> all{"self", "other"};
  return all;
}

State read_state(const Section& s) {
  static const std::vector<std::string> states = [] {
    std::vector<std::string> all;
    for (int k = 0; k <= static_cast<int>(State::standing); ++k) all.emplace_back(name_of(static_cast<State>(k)));
    return all;
  }();
  return static_cast<State>(s.choice("state", states).value_or(0));
}

// Reports a key that says something about other things than `what`.
void report_unless(const Section& s, std::string_view key, std::string_view what,
                   std::initializer_list<std::string_view> fitting) {
  if (s.has(key) && std::find(fitting.begin(), fitting.end(), what) == fitting.end())
    s.context().report(*s.find(key), fmt::format("'{}' says nothing about {}", key, what),
                       fmt::format("with {}", fmt::join(fitting, " or ")));
}

}  // namespace

// "self", "other", "@object" or "all QUERY".
template <int D>
std::optional<Target> SceneReader<D>::read_target(const Section& s, std::string_view key) {
  const auto text = s.text(key);
  if (!text) return std::nullopt;
  if (*text == "self") return Target(Side::self);
  if (*text == "other") return Target(Side::other);
  if (text->starts_with("all ")) {
    const std::string query = text->substr(4);
    if (const Result<TagQuery> good = TagQuery::parse(query, tags_); !good) {
      context_.report(*s.find(key), good.error().what, good.error().accepted);
      return std::nullopt;
    }
    return Target::all(query);
  }
  if (text->starts_with('@'))
    return check_who(*s.find(key), *text) ? std::optional(Target::object(text->substr(1))) : std::nullopt;
  context_.report(*s.find(key), fmt::format("{} is '{}'", key, *text), "self, other, \"@OBJECT\" or \"all QUERY\"");
  return std::nullopt;
}

template <int D>
void SceneReader<D>::read_places(const Section& s, Effect& e) {
  using Does = Effect::Kind;
  const toml::node* to = s.find("to");
  if (e.kind == Does::teleport || e.kind == Does::attach || e.kind == Does::send) {
    s.require("to", "a place or whom");
    if (to != nullptr && to->is_array()) {
      if (e.kind == Does::attach) context_.report(*to, "something is attached to a place", "whom");
      if (auto place = s.template vector<D>("to")) e.vector = padded<D>(*place), e.placed = true;
    } else if (auto target = read_target(s, "to")) {
      e.to = *target;
    }
    e.turned = s.boolean("turned").value_or(false);
    if (auto step = s.template vector<D>("step")) e.vector = padded<D>(*step);
  }
  if (e.kind == Does::spawn) {
    const int ways = (s.has("within") ? 1 : 0) + (s.has("from") || s.has("at") ? 1 : 0);
    if (ways != 1) context_.report(s.node(), "spawn does not say one place", "at; from, with spot and at; or within");
    if (const Bounds<D>* region = s.has("within") ? read_region(s, "within") : nullptr) {
      Bounds<3> all{kZero, kZero};
      all.lo.head<D>() = region->lo, all.hi.head<D>() = region->hi;
      e.region = all;
    }
    if (s.has("from"))
      if (auto target = read_target(s, "from")) e.to = *target;
    e.placed = !s.has("from") && !e.region;
    e.own_frame = s.has("from");
    if (auto at = s.template vector<D>("at")) e.vector = padded<D>(*at);
    e.seed = s.whole("seed", 0, 1000000000).value_or(1);
  }
  e.spot = s.text("spot").value_or("");
}

template <int D>
std::optional<Effect> SceneReader<D>::read_effect(const Section& s) {
  using Does = Effect::Kind;
  static const std::vector<std::string> kinds = [] {
    std::vector<std::string> all;
    for (int k = 0; k <= static_cast<int>(Does::finish); ++k) all.emplace_back(name_of(static_cast<Does>(k)));
    return all;
  }();
  std::vector<std::string> named;
  for (const std::string& kind : kinds)
    if (s.has(kind)) named.push_back(kind);
  if (named.size() != 1) {
    context_.report(s.node(),
                    named.empty() ? "an effect does nothing"
                                  : fmt::format("an effect does several things: {}", fmt::join(named, ", ")),
                    fmt::format("one of: {}", fmt::join(kinds, ", ")));
    return std::nullopt;
  }
  Effect e;
  const std::string& what = named[0];
  e.kind = static_cast<Does>(std::find(kinds.begin(), kinds.end(), what) - kinds.begin());
  // Which keys say something about which effects.
  const auto only_for = [&](std::string_view key, std::initializer_list<std::string_view> fitting) {
    report_unless(s, key, what, fitting);
  };
  only_for("by", {"add", "damage"});
  for (const std::string_view key : {"give", "take"}) only_for(key, {"retag"});
  only_for("safe", {"damage"});
  only_for("axis", {"bounce"});
  for (const std::string_view key : {"impulse", "away", "by_speed", "at_least"}) only_for(key, {"push"});
  only_for("velocity", {"launch", "spawn"});
  only_for("spin", {"spawn"});
  only_for("speed", {"send"});
  only_for("to", {"teleport", "send", "attach", "set", "clamp"});
  only_for("from", {"spawn", "clamp", "except"});
  for (const std::string_view key : {"seconds", "until_apart"}) only_for(key, {"except"});
  only_for("spot", {"spawn", "teleport", "attach"});
  for (const std::string_view key : {"at", "seed"}) only_for(key, {"spawn"});
  only_for("within", {"spawn", "send"});
  only_for("step", {"attach"});
  only_for("turned", {"teleport"});
  for (const std::string_view key : {"collider", "motion"}) only_for(key, {"switch_on", "switch_off"});
  only_for("scale", {"weigh"});
  only_for("back", {"mirror"});
  only_for("of", {"add", "set", "clamp"});
  only_for("frame", {"launch", "push"});

  switch (e.kind) {
    case Does::add:
    case Does::set:
    case Does::clamp:
      e.number = read_number_name(s, what);
      if (e.kind == Does::add) s.require("by", "by = how much");
      else s.require("to", "to = what value");
      if (e.number.starts_with("each.")) s.require("of", "of = whose, such as \"all parcel\"");
      if (auto target = read_target(s, "of")) e.target = *target;
      if (e.kind == Does::set) e.by = s.number("to").value_or(0);
      if (e.kind == Does::clamp) e.least = s.number("from").value_or(-1e15), e.most = s.number("to").value_or(1e15);
      break;
    case Does::restart: (void)s.boolean(what); break;
    case Does::spawn:
    case Does::reaction_on:
    case Does::reaction_off:
    case Does::cue:
    case Does::finish: e.name = s.text(what).value_or(""); break;
    default:
      if (auto target = read_target(s, what)) e.target = *target;
  }
  if (e.kind == Does::spawn && kinds_.find(e.name) == kinds_.end()) (void)find_kind(*s.find("spawn"), e.name);
  if (e.kind == Does::add || e.kind == Does::damage) {
    if (e.kind == Does::damage) s.require("by", "by = how much");
    e.by = s.number("by").value_or(0);
  }
  e.turns_back = s.boolean("back").value_or(false);
  e.safe = s.number("safe", 0, 1e9).value_or(0);
  e.give = read_tag_list(s, "give");
  e.take = read_tag_list(s, "take");
  for (const char* key : {"axis", "impulse"})
    if (auto v = s.template vector<D>(key)) e.vector = padded<D>(*v);
  if (auto v = s.template vector<D>("velocity")) e.velocity = padded<D>(*v);
  if (auto spin = s.template spin<D>("spin")) {
    if constexpr (D == 2) e.spin[2] = (*spin)[0];
    else e.spin = *spin;
  }
  if (e.kind == Does::send) {
    s.require("speed", "speed = units per second");
    e.speed = s.number("speed").value_or(1);
    e.within = s.number("within").value_or(0);
  }
  if (e.kind == Does::launch) s.require("velocity", "velocity = [...]");
  if (e.kind == Does::weigh) s.require("scale", "scale = of gravity");
  if (auto scale = s.number("scale")) e.by = *scale;
  if (s.has("frame")) e.own_frame = s.choice("frame", frames()).value_or(0) == 1;
  if (e.kind == Does::push) {
    if (s.has("away") == s.has("impulse")) context_.report(s.node(), "a push has impulse or away", "one of the two");
    e.away = s.has("away");
    if (e.away) e.by = s.number("away").value_or(0);
    e.by_speed = s.boolean("by_speed").value_or(false);
    e.least = s.number("at_least").value_or(0);
  }
  if (e.kind == Does::switch_on || e.kind == Does::switch_off) {
    if (s.has("collider") == s.has("motion"))
      context_.report(s.node(), fmt::format("{} does not say what", what), "collider = its number, or motion = true");
    e.collider = s.whole("collider", 0, 1000000).value_or(0);
    e.motion = s.boolean("motion").value_or(false);
  }
  if (e.kind == Does::except) {
    s.require("from", "from = whom it does not meet");
    if (auto target = read_target(s, "from")) e.to = *target;
    e.safe = s.number("seconds", 0, 1e9).value_or(0);
    e.until_apart = s.boolean("until_apart").value_or(false);
  }
  read_places(s, e);
  e.after = s.number("after", 0, 1e9).value_or(0);
  return e;
}

template <int D>
Start SceneReader<D>::read_start(const Section& s) {
  static const std::vector<std::string> phases{"begin", "during", "end"};
  std::vector<std::string> named;
  for (const char* key : {"number", "count", "time", "every", "input", "cue", "state"})
    if (s.has(key)) named.emplace_back(key);
  if (named.size() > 1) {
    context_.report(s.node(), fmt::format("a start says several things: {}", fmt::join(named, ", ")), "one of them");
    return OnTouch{};
  }
  const std::string what = named.empty() ? "touch" : named[0];
  const auto only_for = [&](std::string_view key, std::initializer_list<std::string_view> fitting) {
    report_unless(s, key, what, fitting);
  };
  only_for("reaches", {"number", "count"});
  for (const std::string_view key : {"passes", "leaves"}) only_for(key, {"number"});
  for (const std::string_view key : {"from", "vary", "seed"}) only_for(key, {"every"});
  for (const std::string_view key : {"phase", "approach", "impulse", "side", "frame", "causes"})
    only_for(key, {"touch"});
  only_for("over", {"state"});
  if (what == "state") return OnState{read_state(s), s.boolean("over").value_or(false)};
  if (what == "number") {
    OnNumber on;
    on.number = read_number_name(s, "number");
    int ways = 0;
    for (const auto& [key, how] :
         {std::pair("reaches", OnNumber::How::reaches), std::pair("passes", OnNumber::How::passes),
          std::pair("leaves", OnNumber::How::leaves)})
      if (s.has(key)) on.reaches = s.number(key).value_or(0), on.how = how, ++ways;
    if (ways != 1) context_.report(s.node(), "a start lacks 'reaches'", "number and one of reaches, passes and leaves");
    return on;
  }
  if (what == "count") {
    s.require("reaches", "count and reaches");
    return OnCount{read_query(s, "count"), s.whole("reaches", 0, 1000000000).value_or(0)};
  }
  if (what == "time") return OnTime{s.number("time", 0, 1e9).value_or(0)};
  if (what == "every")
    return OnInterval{s.number("every").value_or(1), s.number("from").value_or(0), s.number("vary").value_or(0),
                      s.whole("seed", 0, 1000000000).value_or(1)};
  if (what == "input") return OnInput{s.text("input").value_or("")};
  if (what == "cue") return OnCue{s.text("cue").value_or("")};
  OnTouch touch;
  touch.phase = static_cast<Phase>(s.choice("phase", phases).value_or(0));
  touch.approach = s.number("approach", 0, 1e9).value_or(0);
  touch.impulse = s.number("impulse", 0, 1e15).value_or(0);
  if (auto side = s.template vector<D>("side")) touch.from_side = padded<D>(*side);
  touch.own_side = s.choice("frame", frames()).value_or(0) == 1;
  if (s.has("causes")) {
    std::vector<std::string> causes;
    for (int k = static_cast<int>(EndCause::left); k < static_cast<int>(EndCause::run_over); ++k)
      causes.emplace_back(name_of(static_cast<EndCause>(k)));
    touch.causes.clear();
    for (const std::string& text : s.texts("causes")) {
      const auto at = std::find(causes.begin(), causes.end(), text);
      if (at != causes.end()) touch.causes.push_back(static_cast<EndCause>(1 + (at - causes.begin())));
      else
        context_.report(*s.find("causes"), fmt::format("'{}' is not a cause", text),
                        suggestion(text, causes, fmt::format("of: {}", fmt::join(causes, ", "))));
    }
    if (touch.phase != Phase::end) context_.report(*s.find("causes"), "only an end has causes", "phase = \"end\"");
  }
  return touch;
}

template <int D>
std::vector<Condition> SceneReader<D>::read_conditions(const Section& reaction, std::string_view key) {
  std::vector<Condition> all;
  if (!reaction.has(key)) return all;
  for (const Section& s : reaction.tables(key, "condition")) {
    std::vector<std::string> named;
    for (const char* what : {"touches", "is", "number", "state", "count"})
      if (s.has(what)) named.emplace_back(what);
    if (named.size() != 1) {
      context_.report(s.node(), "a condition says nothing, or several things",
                      "one of touches, is, number, state and count");
      continue;
    }
    Condition c;
    const std::string& what = named[0];
    const bool range = what == "number" || what == "count";
    c.kind = what == "touches" ? Condition::Kind::touches
             : what == "is"    ? Condition::Kind::is
             : what == "count" ? Condition::Kind::count
             : what == "state" ? Condition::Kind::state
                               : Condition::Kind::number;
    c.side = static_cast<Side>(s.choice("side", sides()).value_or(0));
    if (what == "number") c.number = read_number_name(s, "number");
    else if (what == "count") c.query = read_query(s, "count");
    else if (what == "state") c.state = read_state(s);
    else c.query = read_who(s, what);
    if (auto is = s.number("is_value")) c.least = c.most = *is;
    if (auto least = s.number("at_least")) c.least = *least;
    if (auto most = s.number("at_most")) c.most = *most;
    const bool bounded = s.has("is_value") || s.has("at_least") || s.has("at_most");
    if (range != bounded)
      context_.report(s.node(),
                      range ? fmt::format("a condition on a {} lacks a value", what)
                            : fmt::format("a value says nothing about {}", what),
                      range ? "is_value, at_least or at_most" : "with number or count");
    all.push_back(std::move(c));
  }
  return all;
}

template <int D>
void SceneReader<D>::read_reactions() {
  static const std::vector<std::string> phases{"begin", "during", "end", "start"};
  static const std::vector<std::string> onces{"per other", "per visit", "ever"};
  for (const Section& s : top_.tables("reactions", "reaction")) {
    Reaction<D> r;
    s.require("name", "a name of its own");
    r.name = s.text("name").value_or("");
    if (s.has("self")) r.self = read_who(s, "self");
    if (s.has("other")) r.other = read_who(s, "other");
    const toml::node* when = s.find("when");
    if (when != nullptr && when->is_table()) {
      r.when = read_start(*s.table("when", "start"));
    } else {
      const std::size_t phase = s.choice("when", phases).value_or(0);
      if (phase == 3) r.when = OnStart{};
      else r.when = OnTouch{static_cast<Phase>(phase)};
    }
    if (auto* touch = std::get_if<OnTouch>(&r.when)) touch->channel = read_channel(s);
    else
      for (const std::string_view key : {"other", "channel"})
        if (s.has(key))
          context_.report(*s.find(key), fmt::format("'{}' with a start that is no touch", key),
                          "only a touch has that");
    r.all = read_conditions(s, "all"), r.any = read_conditions(s, "any"), r.none = read_conditions(s, "none");
    if (auto once = s.choice("once", onces)) r.once = static_cast<Once>(*once + 1);
    r.apart = s.number("apart", 0, 1e9).value_or(r.apart);
    r.most = s.whole("most", 1, 1000000000);
    r.cooldown = s.number("cooldown", 0, 1e9).value_or(0);
    r.on = s.boolean("on").value_or(true);
    r.going_too = s.boolean("going_too").value_or(false);
    for (const Section& e : s.tables("do", "effect"))
      if (auto effect = read_effect(e)) r.effects.push_back(*effect);
    scene_.reactions.push_back(std::move(r));
    scene_.reaction_places.push_back(context_.place(s.node()));
  }
  // Switches name reactions that may come later in the file.
  std::vector<std::string> names;
  for (const Reaction<D>& r : scene_.reactions) names.push_back(r.name);
  for (std::size_t i = 0; i < scene_.reactions.size(); ++i)
    for (const Effect& e : scene_.reactions[i].effects)
      if ((e.kind == Effect::Kind::reaction_on || e.kind == Effect::Kind::reaction_off) &&
          std::find(names.begin(), names.end(), e.name) == names.end())
        context_.problems.push_back({scene_.reaction_places[i], fmt::format("no reaction is named '{}'", e.name),
                                     suggestion(e.name, names, "the name of a reaction")});
}

template <int D>
void SceneReader<D>::read_inputs() {
  for (const Section& s : top_.tables("inputs", "input")) {
    s.require("at", "seconds from the start");
    s.require("name", "what is given");
    scene_.inputs.push_back({s.number("at", 0, 1e9).value_or(0), s.text("name").value_or("")});
  }
}

template std::optional<Target> SceneReader<2>::read_target(const Section& s, std::string_view key);
template std::optional<Target> SceneReader<3>::read_target(const Section& s, std::string_view key);
template void SceneReader<2>::read_places(const Section& s, Effect& e);
template void SceneReader<3>::read_places(const Section& s, Effect& e);
template std::optional<Effect> SceneReader<2>::read_effect(const Section& s);
template std::optional<Effect> SceneReader<3>::read_effect(const Section& s);
template Start SceneReader<2>::read_start(const Section& s);
template Start SceneReader<3>::read_start(const Section& s);
template std::vector<Condition> SceneReader<2>::read_conditions(const Section& reaction, std::string_view key);
template std::vector<Condition> SceneReader<3>::read_conditions(const Section& reaction, std::string_view key);
template void SceneReader<2>::read_reactions();
template void SceneReader<3>::read_reactions();
template void SceneReader<2>::read_inputs();
template void SceneReader<3>::read_inputs();

}  // namespace colvik::scene
