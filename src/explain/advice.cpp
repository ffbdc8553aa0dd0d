// What to change so that two come further, and where that stands in the file.
#include <fmt/format.h>

#include <algorithm>

#include "explain/explain.h"

namespace colvik::reasons {

namespace {

// A tag that the filter names and that is spelled nearly like one that the other has.
std::string near_spelling(const Party& refuses, const Party& refused, const Tags& tags) {
  std::vector<std::string> has;
  for (const Tag tag : refused.tags.list()) has.push_back(tags.name(tag));
  for (const std::string& name : names_in(refuses.meets.text()))
    if (const std::string near = nearest_name(name, has); !near.empty() && near != name)
      return fmt::format("; '{}' is spelled nearly like '{}'", name, near);
  return "";
}

template <int D>
std::string of_filter(const Case<D>& c, bool first) {
  const std::uint32_t a = c.run.trace.find(c.two.first);
  const std::uint32_t b = c.run.trace.find(c.two.second);
  if (a == kNobody || b == kNobody) return "";
  const TraceObject<D>& who = c.run.trace.objects()[first ? a : b];
  const TraceObject<D>& whom = c.run.trace.objects()[first ? b : a];
  const std::size_t i = first ? c.progress.first_collider : c.progress.second_collider;
  const std::size_t k = first ? c.progress.second_collider : c.progress.first_collider;
  if (i >= who.parties.size() || k >= whom.parties.size()) return "";
  const std::string has = c.run.trace.tags().list(whom.parties[k].tags);
  return fmt::format("let `meets` of {} accept {}{}", who.name,
                     has.empty() ? whom.name + ", which has no tags" : has,
                     near_spelling(who.parties[i], whom.parties[k], c.run.trace.tags()));
}

template <int D>
std::string of_condition(const Case<D>& c) {
  const Reaction<D>& r = c.run.rules.reaction(*c.reaction);
  const std::size_t at = c.progress.by.condition;
  const std::string_view list = at < r.all.size()                  ? "all"
                                : at < r.all.size() + r.any.size() ? "any"
                                                                   : "none";
  return fmt::format("the condition in `{}`, or what it is about", list);
}

template <int D>
std::string text_of(const Case<D>& c) {
  const Progress<D>& p = c.progress;
  const std::string& a = c.two.first;
  const std::string& b = c.two.second;
  switch (p.stage) {
    case Stage::absent: return "let the two be there at the same time";
    case Stage::no_collider: return "give both a collider";
    case Stage::same_object: return "name two objects";
    case Stage::relatives: return fmt::format("`meets_relatives = true` on {} or {}", a, b);
    case Stage::hidden: return "show both at the same time: `active`, or the effect `show`";
    case Stage::switched_off: return "switch the collider on: `on`, or the effect `switch_on`";
    case Stage::both_static: return "`body` of the one that moves: kinematic or dynamic";
    case Stage::first_refuses: return of_filter(c, true);
    case Stage::second_refuses: return of_filter(c, false);
    case Stage::excepted: return "take the two out of `excepted`, or end what the effect excepts";
    case Stage::far:
    case Stage::apart:
      return fmt::format("bring them {:.3g} nearer, by where they are, go, or how large they are",
                         p.gap);
    case Stage::one_way: return "the side that `one_way` closes, or the side that it comes from";
    case Stage::not_meant: return "`self` or `other` of the reaction, or the tags of the two";
    case Stage::another_channel: return "`channel` of the reaction, or `zone` of the colliders";
    case Stage::another_phase: return "`when` of the reaction";
    case Stage::another_cause: return "`causes` in `when` of the reaction";
    case Stage::slower:
      return fmt::format("`approach` in `when` of at most {:.4g}, or more speed", p.by.was);
    case Stage::softer:
      return fmt::format("`impulse` in `when` of at most {:.4g}, or a harder hit", p.by.was);
    case Stage::another_side: return "`side` in `when` of the reaction, or the way there";
    case Stage::claimed:
      return p.claimed_by
                 ? fmt::format("put it before '{}' in the file, or let that one not remove",
                               c.run.rules.reports()[*p.claimed_by].name)
                 : "remove it later";
    case Stage::off: return "`on = true`, or `reaction_on` before that";
    case Stage::condition: return of_condition(c);
    case Stage::most: return "`most` of the reaction, or whom it counts for (`limits`)";
    case Stage::cooldown:
      return fmt::format("`cooldown` of at most {:.3g}, or whom it counts for (`limits`)",
                         p.by.was);
    case Stage::already: return "`once` of the reaction";
    case Stage::another_time: return "the time in question, or when it comes";
    default: return "";
  }
}

}  // namespace

template <int D>
Place place_of_object(const Scene<D>& scene, const Run<D>& run, const std::string& name,
                      const std::vector<std::string_view>& keys) {
  for (std::size_t i = 0; i < scene.objects.size() && i < scene.object_places.size(); ++i)
    if (scene.objects[i].name == name)
      return key_place(scene.object_keys, i, keys, scene.object_places[i]);
  const std::uint32_t at = run.trace.find(name);  // one that was spawned
  for (std::size_t i = 0; i < scene.kinds.size() && i < scene.kind_places.size(); ++i)
    if (at != kNobody && scene.kinds[i].kind == run.trace.objects()[at].kind)
      return key_place(scene.kind_keys, i, keys, scene.kind_places[i]);
  return {};
}

namespace {

// The keys of a reaction that decide at a stage.
Place place_in_reaction(const std::vector<KeyPlaces>& keys, std::size_t i, Stage stage,
                        const Place& whole) {
  switch (stage) {
    case Stage::not_meant: return key_place(keys, i, {"other", "self"}, whole);
    case Stage::another_channel: return key_place(keys, i, {"channel"}, whole);
    case Stage::another_phase:
    case Stage::another_cause:
    case Stage::slower:
    case Stage::softer:
    case Stage::another_side: return key_place(keys, i, {"when"}, whole);
    case Stage::off: return key_place(keys, i, {"on"}, whole);
    case Stage::condition: return key_place(keys, i, {"all", "any", "none"}, whole);
    case Stage::most: return key_place(keys, i, {"most"}, whole);
    case Stage::cooldown: return key_place(keys, i, {"cooldown"}, whole);
    case Stage::already: return key_place(keys, i, {"once"}, whole);
    default: return whole;
  }
}

// Those of an object.
std::vector<std::string_view> keys_of(Stage stage) {
  switch (stage) {
    case Stage::hidden: return {"active"};
    case Stage::switched_off: return {"collider.on", "colliders"};
    case Stage::both_static: return {"body"};
    case Stage::first_refuses:
    case Stage::second_refuses: return {"collider.meets", "colliders", "collider"};
    case Stage::far:
    case Stage::apart: return {"path", "at", "on_parent", "row", "grid"};
    case Stage::one_way: return {"collider.one_way"};
    default: return {};
  }
}

}  // namespace

template <int D>
Advice advice_for(const Case<D>& c) {
  Advice advice{text_of(c), {}};
  if (advice.text.empty()) return advice;
  const auto add = [&](const Place& place) {
    if (place.line > 0) advice.places.push_back(place);
  };
  const Stage s = c.progress.stage;
  if (s >= Stage::not_meant && s < Stage::touched && c.reaction) {
    if (*c.reaction < c.scene.reaction_places.size())
      add(place_in_reaction(c.scene.reaction_keys, *c.reaction, s,
                            c.scene.reaction_places[*c.reaction]));
    return advice;
  }
  if (s == Stage::excepted)
    for (const auto& e : c.scene.excepted)
      if ((e.first == c.two.first && e.second == c.two.second) ||
          (e.first == c.two.second && e.second == c.two.first))
        add(e.place);
  if (s != Stage::second_refuses) add(place_of_object(c.scene, c.run, c.two.first, keys_of(s)));
  if (s != Stage::first_refuses) add(place_of_object(c.scene, c.run, c.two.second, keys_of(s)));
  return advice;
}

template Place place_of_object(const Scene<2>&, const Run<2>&, const std::string&,
                               const std::vector<std::string_view>&);
template Place place_of_object(const Scene<3>&, const Run<3>&, const std::string&,
                               const std::vector<std::string_view>&);
template Advice advice_for(const Case<2>&);
template Advice advice_for(const Case<3>&);

}  // namespace colvik::reasons
