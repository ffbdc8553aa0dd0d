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
  context_.report(
      at, who.error().what,
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
  if (owner.starts_with('@')) {
    (void)check_who(*s.find(key), text->substr(0, text->rfind('.')));
  } else if (owner != "world" && owner != "self" && owner != "other" && owner != "each") {
    context_.report(*s.find(key), fmt::format("number '{}' does not say whose it is", *text),
                    "world.NAME, self.NAME, other.NAME or @OBJECT.NAME");
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
void SceneReader<D>::read_expectations() {
  for (const Section& s : top_.tables("expect", "expect")) {
    Expectation<D> e;
    e.place = context_.place(s.node());
    std::vector<std::string> subjects;
    for (const char* subject :
         {"reaction", "contact", "number", "count", "outcome", "object", "walker"})
      if (s.has(subject)) subjects.emplace_back(subject);
    if (subjects.size() != 1) {
      context_.report(s.node(),
                      subjects.empty() ? "an expectation of nothing"
                                       : fmt::format("an expectation of several things: {}",
                                                     fmt::join(subjects, ", ")),
                      "one of: reaction, contact, number, count, outcome, object, walker");
      continue;
    }
    const std::string& subject = subjects[0];
    const auto only_for = [&](std::string_view key, bool fits, std::string_view fitting) {
      if (!fits && s.has(key))
        context_.report(*s.find(key), fmt::format("'{}' says nothing about {}", key, subject),
                        fmt::format("with {}", fitting));
    };
    const bool counted = subject == "reaction" || subject == "contact";
    const bool walker = subject == "walker";
    for (const std::string_view key : {"times", "never"})
      only_for(key, counted, "reaction or contact");
    only_for("between", counted || walker, "reaction, contact or walker");
    for (const std::string_view key : {"stands", "on", "highest_at_least", "highest_at_most"})
      only_for(key, walker, "walker");
    for (const std::string_view key : {"at_least", "at_most"})
      only_for(key, counted || subject == "number" || subject == "count",
               "reaction, contact, number or count");
    for (const std::string_view key :
         {"self", "other", "once_per_other", "before", "after", "within"})
      only_for(key, subject == "reaction", "reaction");
    for (const std::string_view key : {"present", "inside"})
      only_for(key, subject == "object", "object");
    only_for("channel", subject == "contact", "contact");
    only_for("is", subject == "number" || subject == "count", "number or count");
    only_for("always", subject == "number" || subject == "object" || walker,
             "number, object or walker");
    only_for("at", subject == "number" || subject == "object" || subject == "count" || walker,
             "number, count, object or walker");
    const std::optional<double> at = s.number("at", 0, 1e9);
    const bool always = s.boolean("always").value_or(false);

    if (counted) {
      e.times = s.whole("times", 0, 1000000000);
      e.at_least = s.whole("at_least", 0, 1000000000);
      e.at_most = s.whole("at_most", 0, 1000000000);
      e.never = s.boolean("never").value_or(false);
      if ((e.never ? 1 : 0) + (e.times ? 1 : 0) + (e.at_least || e.at_most ? 1 : 0) > 1)
        context_.report(s.node(), "how often is said twice",
                        "one of times, never, and at_least with at_most");
    }
    if (const auto between = s.template vector<2>("between")) {
      e.from = between->x();
      e.to = between->y();
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
      r.once_per_other = s.boolean("once_per_other").value_or(false);
      r.before = s.text("before").value_or("");
      r.after = s.text("after").value_or("");
      for (const char* key : {"before", "after"})
        if (const auto name = s.text(key);
            name && std::find(names.begin(), names.end(), *name) == names.end())
          context_.report(*s.find(key), fmt::format("no reaction is named '{}'", *name),
                          suggestion(*name, names, "the name of a reaction"));
      if (auto within = s.number("within", 0, 1e9)) r.within = *within;
      if (s.has("within") && !s.has("after"))
        context_.report(*s.find("within"), "within without after",
                        "after = the reaction that comes first");
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
      e.what = ExpectNumber{s.text("number").value_or(""), s.number("is"), s.number("at_least"),
                            s.number("at_most"),           always,         at};
    } else if (subject == "count") {
      e.what = ExpectCount{read_query(s, "count"), s.number("is"), s.number("at_least"),
                           s.number("at_most"), at};
    } else if (subject == "outcome") {
      e.what = ExpectOutcome{s.text("outcome").value_or("")};
    } else if (walker) {
      ExpectWalker w;
      w.walker = s.text("walker").value_or("");
      if (w.walker.starts_with('@')) w.walker.erase(0, 1);
      w.stands = s.boolean("stands");
      if (s.has("on")) w.on = read_who(s, "on");
      w.highest_at_least = s.number("highest_at_least");
      w.highest_at_most = s.number("highest_at_most");
      w.always = always;
      w.at = at;
      e.what = w;
    } else {
      ExpectObject<D> o;
      o.object = s.text("object").value_or("");
      if (o.object.starts_with('@')) o.object.erase(0, 1);
      o.present = s.boolean("present");
      if (s.has("inside"))
        if (const Bounds<D>* region = read_region(s, "inside", false)) {
          o.inside = *region;
          o.region = *s.text("inside");
        }
      if (!s.has("present") && !s.has("inside"))
        context_.report(s.node(), "says nothing about the object", "present or inside");
      o.always = always;
      o.at = at;
      e.what = o;
    }
    scene_.expectations.push_back(std::move(e));
  }
}

template bool SceneReader<2>::check_who(const toml::node& at, const std::string& text);
template bool SceneReader<3>::check_who(const toml::node& at, const std::string& text);
template std::string SceneReader<2>::read_who(const Section& s, std::string_view key);
template std::string SceneReader<3>::read_who(const Section& s, std::string_view key);
template std::string SceneReader<2>::read_number_name(const Section& s, std::string_view key);
template std::string SceneReader<3>::read_number_name(const Section& s, std::string_view key);
template std::optional<Channel> SceneReader<2>::read_channel(const Section& s);
template std::optional<Channel> SceneReader<3>::read_channel(const Section& s);
template void SceneReader<2>::read_expectations();
template void SceneReader<3>::read_expectations();

}  // namespace colvik::scene
