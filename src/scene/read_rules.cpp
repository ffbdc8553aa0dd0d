#include <fmt/format.h>

#include <algorithm>

#include "scene/scene_reader.h"

namespace colvik::scene {

template <int D>
bool SceneReader<D>::check_who(const toml::node& at, const std::string& text) {
  const Result<Who> who = Who::parse(text, tags_);
  if (who && who.value().object().empty()) return true;
  std::vector<std::string> names;
  for (const ObjectDef<D>& o : scene_.objects) names.push_back(o.name);
  if (who) {  // one object, by name
    const std::string& name = who.value().object();
    if (std::find(names.begin(), names.end(), name) != names.end()) return true;
    context_.report(at, fmt::format("no object is named '{}'", name),
                    suggestion(name, names, "'@' and an object's name", "@"));
    return false;
  }
  // The classic: an object's name where a tag is asked for.
  const bool object = std::find(names.begin(), names.end(), text) != names.end();
  context_.report(at, who.error().what,
                  object ? fmt::format("the object of that name is '@{}'", text) : who.error().accepted);
  return false;
}

template <int D>
std::string SceneReader<D>::read_who(const Section& s, std::string_view key) {
  const auto text = s.text(key);
  return text && check_who(*s.find(key), *text) ? *text : "any";
}

template <int D>
std::string SceneReader<D>::read_number_name(const Section& s, std::string_view key) {
  const auto text = s.text(key);
  if (!text) return "";
  std::vector<std::string> names;
  for (const Number& n : scene_.numbers) names.push_back("world." + n.name);
  const std::string owner = text->substr(0, text->find('.'));
  if (owner != "world" && owner != "self" && owner != "other") {
    context_.report(*s.find(key), fmt::format("number '{}' does not say whose it is", *text),
                    "world.NAME, self.NAME or other.NAME");
  } else if (owner == "world" && std::find(names.begin(), names.end(), *text) == names.end()) {
    context_.report(*s.find(key), fmt::format("'{}' is not a number of the world", *text),
                    suggestion(*text, names, "a number declared under [numbers]"));
  }
  return *text;
}

template <int D>
std::optional<Channel> SceneReader<D>::read_channel(const Section& s) {
  static const std::vector<std::string> channels{"solid", "zone"};
  const auto at = s.choice("channel", channels);
  return at ? std::optional(static_cast<Channel>(*at)) : std::nullopt;
}

template <int D>
std::optional<Effect> SceneReader<D>::read_effect(const Section& s) {
  static const std::vector<std::string> kinds{"add", "damage", "remove", "hide", "show", "retag", "stop", "finish"};
  static const std::vector<std::string> sides{"self", "other"};
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
  e.kind = static_cast<Effect::Kind>(std::find(kinds.begin(), kinds.end(), named[0]) - kinds.begin());
  if (e.kind == Effect::Kind::add) e.number = read_number_name(s, "add");
  else if (e.kind == Effect::Kind::finish) e.outcome = s.text("finish").value_or("");
  else if (auto side = s.choice(named[0], sides)) e.side = static_cast<Side>(*side);
  const bool counts = e.kind == Effect::Kind::add || e.kind == Effect::Kind::damage;
  const bool tags = e.kind == Effect::Kind::retag;
  if (counts) s.require("by", "by = how much");
  for (const std::string_view key : {"by", "give", "take"})
    if (s.has(key) && !(key == "by" ? counts : tags))
      context_.report(*s.find(key), fmt::format("'{}' says nothing about {}", key, named[0]),
                      key == "by" ? "with add or damage" : "with retag");
  e.by = s.number("by").value_or(0);
  e.give = read_tag_list(s, "give");
  e.take = read_tag_list(s, "take");
  e.after = s.number("after", 0, 1e9).value_or(0);
  return e;
}

template <int D>
void SceneReader<D>::read_reactions() {
  static const std::vector<std::string> phases{"begin", "during", "end"};
  static const std::vector<std::string> onces{"per other", "ever"};
  for (const Section& s : top_.tables("reactions", "reaction")) {
    Reaction<D> r;
    s.require("name", "a name of its own");
    r.name = s.text("name").value_or("");
    if (s.has("self")) r.self = read_who(s, "self");
    if (s.has("other")) r.other = read_who(s, "other");
    const toml::node* when = s.find("when");
    if (when != nullptr && when->is_table()) {
      const Section start = *s.table("when", "start");
      start.require("number", "number and reaches");
      start.require("reaches", "number and reaches");
      r.when = OnNumber{read_number_name(start, "number"), start.number("reaches").value_or(0)};
      for (const std::string_view key : {"other", "channel"})
        if (s.has(key))
          context_.report(*s.find(key), fmt::format("'{}' with a number that starts it", key), "only a touch has that");
    } else {
      OnTouch touch;
      if (auto phase = s.choice("when", phases)) touch.phase = static_cast<Phase>(*phase);
      touch.channel = read_channel(s);
      r.when = touch;
    }
    if (auto once = s.choice("once", onces)) r.once = *once == 0 ? Once::per_other : Once::ever;
    for (const Section& e : s.tables("do", "effect"))
      if (auto effect = read_effect(e)) r.effects.push_back(*effect);
    scene_.reactions.push_back(std::move(r));
    scene_.reaction_places.push_back(context_.place(s.node()));
  }
}

template <int D>
void SceneReader<D>::read_expectations() {
  for (const Section& s : top_.tables("expect", "expect")) {
    Expectation<D> e;
    e.place = context_.place(s.node());
    std::vector<std::string> subjects;
    for (const char* subject : {"reaction", "contact", "number", "outcome", "object"})
      if (s.has(subject)) subjects.emplace_back(subject);
    if (subjects.size() != 1) {
      context_.report(s.node(),
                      subjects.empty() ? "an expectation of nothing"
                                       : fmt::format("an expectation of several things: {}", fmt::join(subjects, ", ")),
                      "one of: reaction, contact, number, outcome, object");
      continue;
    }
    const std::string& subject = subjects[0];
    const auto only_for = [&](std::string_view key, bool fits, std::string_view fitting) {
      if (!fits && s.has(key))
        context_.report(*s.find(key), fmt::format("'{}' says nothing about {}", key, subject),
                        fmt::format("with {}", fitting));
    };
    const bool counted = subject == "reaction" || subject == "contact";
    for (const std::string_view key : {"times", "never", "between"}) only_for(key, counted, "reaction or contact");
    for (const std::string_view key : {"at_least", "at_most"})
      only_for(key, counted || subject == "number", "reaction, contact or number");
    for (const std::string_view key : {"self", "other"}) only_for(key, subject == "reaction", "reaction");
    for (const std::string_view key : {"present", "inside"}) only_for(key, subject == "object", "object");
    only_for("channel", subject == "contact", "contact");
    only_for("is", subject == "number", "number");

    if (counted) {
      e.times = s.whole("times", 0, 1000000000);
      e.at_least = s.whole("at_least", 0, 1000000000);
      e.at_most = s.whole("at_most", 0, 1000000000);
      e.never = s.boolean("never").value_or(false);
      if ((e.never ? 1 : 0) + (e.times ? 1 : 0) + (e.at_least || e.at_most ? 1 : 0) > 1)
        context_.report(s.node(), "how often is said twice", "one of times, never, and at_least with at_most");
      if (const auto between = s.template vector<2>("between")) e.from = between->x(), e.to = between->y();
    }
    if (subject == "reaction") {
      ExpectReaction r;
      r.reaction = s.text("reaction").value_or("");
      std::vector<std::string> names;
      for (const Reaction<D>& known : scene_.reactions) names.push_back(known.name);
      if (std::find(names.begin(), names.end(), r.reaction) == names.end())
        context_.report(*s.find("reaction"), fmt::format("no reaction is named '{}'", r.reaction),
                        suggestion(r.reaction, names, "the name of a reaction"));
      if (s.has("self")) r.self = read_who(s, "self");
      if (s.has("other")) r.other = read_who(s, "other");
      e.what = r;
    } else if (subject == "contact") {
      const std::vector<std::string> two = s.texts("contact");
      const toml::array* list = s.find("contact")->as_array();
      if (list == nullptr || list->size() != 2 || two.size() != 2) {
        context_.report(*s.find("contact"), "contact does not name two",
                        "[\"who\", \"whom\"], each a tag query or '@object'");
        continue;
      }
      for (std::size_t i = 0; i < 2; ++i) (void)check_who((*list)[i], two[i]);
      e.what = ExpectContact{two[0], two[1], read_channel(s)};
    } else if (subject == "number") {
      e.what = ExpectNumber{s.text("number").value_or(""), s.number("is"), s.number("at_least"), s.number("at_most")};
    } else if (subject == "outcome") {
      e.what = ExpectOutcome{s.text("outcome").value_or("")};
    } else {
      ExpectObject<D> o;
      o.object = s.text("object").value_or("");
      if (o.object.starts_with('@')) o.object.erase(0, 1);
      o.present = s.boolean("present");
      if (s.has("inside"))
        if (const Bounds<D>* region = read_region(s, "inside")) o.inside = *region, o.region = *s.text("inside");
      if (!s.has("present") && !s.has("inside"))
        context_.report(s.node(), "says nothing about the object", "present or inside");
      e.what = o;
    }
    scene_.expectations.push_back(std::move(e));
  }
}

template class SceneReader<2>;
template class SceneReader<3>;

}  // namespace colvik::scene
