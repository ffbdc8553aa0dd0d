// Reactions: what starts them and their guards. What they do: read_effects.cpp.
#include <fmt/format.h>

#include <algorithm>

#include "scene/section_keys.h"

namespace colvik::scene {
namespace {

const std::vector<std::string>& sides() {
  static const std::vector<std::string> all{"self", "other"};
  return all;
}

State read_state(const Section& s) {
  static const std::vector<std::string> states = [] {
    std::vector<std::string> all;
    for (int k = 0; k <= static_cast<int>(State::standing); ++k)
      all.emplace_back(name_of(static_cast<State>(k)));
    return all;
  }();
  return static_cast<State>(s.choice("state", states).value_or(0));
}

}  // namespace

template <int D>
Start SceneReader<D>::read_start(const Section& s) {
  static const std::vector<std::string> phases{"begin", "during", "end"};
  std::vector<std::string> named;
  for (const char* key : {"number", "count", "time", "every", "input", "cue", "state"})
    if (s.has(key)) named.emplace_back(key);
  if (named.size() > 1) {
    context_.report(s.node(),
                    fmt::format("a start says several things: {}", fmt::join(named, ", ")),
                    "one of them");
    return OnTouch{};
  }
  const std::string what = named.empty() ? "touch" : named[0];
  const auto only_for = [&](std::string_view key, std::initializer_list<std::string_view> fitting) {
    report_key(s, key, what, {fitting.begin(), fitting.size()});
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
    int given = 0;
    for (const auto& [key, how] :
         {std::pair("reaches", OnNumber::How::reaches), std::pair("passes", OnNumber::How::passes),
          std::pair("leaves", OnNumber::How::leaves)})
      if (s.has(key)) {
        on.reaches = s.number(key).value_or(0);
        on.how = how;
        ++given;
      }
    if (given != 1)
      context_.report(s.node(), "a start lacks 'reaches'",
                      "number and one of reaches, passes and leaves");
    return on;
  }
  if (what == "count") {
    s.require("reaches", "count and reaches");
    return OnCount{read_query(s, "count"), s.whole("reaches", 0, 1000000000).value_or(0)};
  }
  if (what == "time") return OnTime{s.number("time", 0, 1e9).value_or(0)};
  if (what == "every")
    return OnInterval{s.number("every").value_or(1), s.number("from").value_or(0),
                      s.number("vary").value_or(0), s.whole("seed", 0, 1000000000).value_or(1)};
  if (what == "input") return OnInput{s.text("input").value_or("")};
  if (what == "cue") return OnCue{s.text("cue").value_or("")};
  OnTouch touch;
  touch.phase = static_cast<Phase>(s.choice("phase", phases).value_or(0));
  touch.approach = s.number("approach", 0, 1e9).value_or(0);
  touch.impulse = s.number("impulse", 0, 1e15).value_or(0);
  if (auto side = s.template vector<D>("side")) touch.from_side = padded<D>(*side);
  touch.own_side = in_own_frame(s);
  if (s.has("causes")) {
    std::vector<std::string> causes;
    for (int k = static_cast<int>(EndCause::left); k < static_cast<int>(EndCause::run_over); ++k)
      causes.emplace_back(name_of(static_cast<EndCause>(k)));
    touch.causes.clear();
    for (const std::string& text : s.texts("causes")) {
      const auto at = std::find(causes.begin(), causes.end(), text);
      if (at != causes.end())
        touch.causes.push_back(static_cast<EndCause>(1 + (at - causes.begin())));
      else
        context_.report(*s.find("causes"), fmt::format("'{}' is not a cause", text),
                        suggestion(text, causes, fmt::format("of: {}", fmt::join(causes, ", "))));
    }
    if (touch.phase != Phase::end)
      context_.report(*s.find("causes"), "only an end has causes", "phase = \"end\"");
  }
  return touch;
}

template <int D>
std::vector<Condition> SceneReader<D>::read_conditions(const Section& reaction,
                                                       std::string_view key) {
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
  static const std::vector<std::string> limits_for{"per self", "per pair", "in all"};
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
    r.all = read_conditions(s, "all");
    r.any = read_conditions(s, "any");
    r.none = read_conditions(s, "none");
    if (auto once = s.choice("once", onces)) r.once = static_cast<Once>(*once + 1);
    r.apart = s.number("apart", 0, 1e9).value_or(r.apart);
    r.most = s.whole("most", 1, 1000000000);
    r.cooldown = s.number("cooldown", 0, 1e9).value_or(0);
    if (auto limits = s.choice("limits", limits_for)) {
      r.limits = static_cast<Limits>(*limits);
      if (!r.most && r.cooldown <= 0)
        context_.report(*s.find("limits"), "nothing is limited", "most or cooldown beside it");
    }
    r.on = s.boolean("on").value_or(true);
    r.going_too = s.boolean("going_too").value_or(false);
    for (const Section& e : s.tables("do", "effect"))
      if (auto effect = read_effect(e)) r.effects.push_back(*effect);
    scene_.reactions.push_back(std::move(r));
    scene_.reaction_places.push_back(context_.place(s.node()));
    scene_.reaction_keys.push_back(context_.key_places(s.layers()));
  }
  check_switches();
}

// Switches name reactions that may come later in the file.
template <int D>
void SceneReader<D>::check_switches() {
  std::vector<std::string> names;
  for (const Reaction<D>& r : scene_.reactions) names.push_back(r.name);
  for (std::size_t i = 0; i < scene_.reactions.size(); ++i)
    for (const Effect& e : scene_.reactions[i].effects) {
      const auto* change = std::get_if<effects::SwitchReaction>(&e.what);
      if (change == nullptr ||
          std::find(names.begin(), names.end(), change->reaction) != names.end())
        continue;
      context_.problems.push_back({scene_.reaction_places[i],
                                   fmt::format("no reaction is named '{}'", change->reaction),
                                   suggestion(change->reaction, names, "the name of a reaction")});
    }
}

template <int D>
void SceneReader<D>::read_inputs() {
  for (const Section& s : top_.tables("inputs", "input")) {
    s.require("at", "seconds from the start");
    s.require("name", "what is given");
    scene_.inputs.push_back({s.number("at", 0, 1e9).value_or(0), s.text("name").value_or("")});
    scene_.input_places.push_back(context_.place(s.node()));
    scene_.input_keys.push_back(context_.key_places(s.layers()));
  }
}

template <int D>
void SceneReader<D>::read_accepted() {
  for (const Section& s : top_.tables("accept", "accept")) {
    s.require("finding", "the id of a finding");
    s.require("because", "the reason");
    scene_.accepted.push_back({s.text("finding").value_or(""), s.text("of").value_or(""),
                               s.text("because").value_or(""), context_.place(s.node())});
  }
}

template Start SceneReader<2>::read_start(const Section& s);
template Start SceneReader<3>::read_start(const Section& s);
template std::vector<Condition> SceneReader<2>::read_conditions(const Section& reaction,
                                                                std::string_view key);
template std::vector<Condition> SceneReader<3>::read_conditions(const Section& reaction,
                                                                std::string_view key);
template void SceneReader<2>::read_reactions();
template void SceneReader<3>::read_reactions();
template void SceneReader<2>::read_inputs();
template void SceneReader<3>::read_inputs();
template void SceneReader<2>::read_accepted();
template void SceneReader<3>::read_accepted();
template void SceneReader<2>::check_switches();
template void SceneReader<3>::check_switches();

}  // namespace colvik::scene
