#include <fmt/format.h>

#include <algorithm>

#include "scene/section_keys.h"

namespace colvik::scene {

// Whether an object is in the file, and could not be read: what is wrong was reported there.
template <int D>
bool SceneReader<D>::failed_before(const std::string& object) const {
  if (context_.problems.empty()) return false;
  const std::string row = object.substr(0, object.rfind('.'));
  for (const std::string& name : {object, row}) {
    const auto copy = [&](const ObjectDef<D>& o) {
      return o.name == name || o.name.starts_with(name + ".");
    };
    if (declared_objects_.contains(name) &&
        std::none_of(scene_.objects.begin(), scene_.objects.end(), copy))
      return true;
  }
  return false;
}

template <int D>
bool SceneReader<D>::check_who(const toml::node& at, const std::string& text) {
  const Result<Who> who = Who::parse(text, tags_);
  if (who && who.value().object().empty()) return true;
  std::vector<std::string> names;
  for (const ObjectDef<D>& o : scene_.objects) names.push_back(o.name);
  if (who) {  // one object, by name
    const std::string& name = who.value().object();
    if (std::find(names.begin(), names.end(), name) != names.end() ||
        kinds_.contains(std::string(kind_of_copy(name))))
      return true;
    if (failed_before(name)) return true;
    context_.report(at, fmt::format("no object is named '{}'", name),
                    suggestion(name, names, "'@' and an object's name", "@"));
    return false;
  }
  // The classic: an object's name where a tag is required.
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
  return text ? check_number_name(*s.find(key), *text) : "";
}

template <int D>
std::string SceneReader<D>::check_number_name(const toml::node& at, const std::string& text) {
  std::vector<std::string> names;
  for (const Number& n : scene_.numbers) names.push_back("world." + n.name);
  const std::string owner = text.substr(0, text.find('.'));
  if (owner.starts_with('@')) {
    (void)check_who(at, text.substr(0, text.rfind('.')));
  } else if (owner != "world" && owner != "self" && owner != "other" && owner != "each") {
    context_.report(at, fmt::format("number '{}' does not say whose it is", text),
                    "world.NAME, self.NAME, other.NAME or @OBJECT.NAME");
  } else if (owner == "world" && std::find(names.begin(), names.end(), text) == names.end()) {
    context_.report(at, fmt::format("'{}' is not a number of the world", text),
                    suggestion(text, names, "a number declared under [numbers]"));
  }
  return text;
}

template <int D>
std::optional<Channel> SceneReader<D>::read_channel(const Section& s) {
  static const std::vector<std::string> channels{"solid", "zone"};
  const auto at = s.choice("channel", channels);
  return at ? std::optional(static_cast<Channel>(*at)) : std::nullopt;
}

// Reads one [[expect]] whose subject is the key `subject`.
template <int D>
struct SceneReader<D>::ExpectationReader {
  SceneReader& scene;
  const Section& s;
  std::string_view subject;

  // Which keys belong to which subjects.
  void check_keys() const {
    using Keys = std::vector<std::string_view>;
    static const std::vector<std::pair<Keys, Keys>> kBelong{
        {{"times", "never"}, {"reaction", "contact"}},
        {{"between"}, {"reaction", "contact", "walker"}},
        {{"stands", "on", "highest_at_least", "highest_at_most"}, {"walker"}},
        {{"at_least", "at_most"}, {"reaction", "contact", "number", "count"}},
        {{"self", "other", "once_per_other", "before", "after", "within"}, {"reaction"}},
        {{"present", "inside", "relative_to", "distance_to", "distance_at_least",
          "distance_at_most", "speed_at_least", "speed_at_most"},
         {"object"}},
        {{"channel"}, {"contact"}},
        {{"is"}, {"number", "count"}},
        {{"always"}, {"number", "count", "object", "walker"}},
        {{"at"}, {"number", "count", "object", "walker"}}};
    for (const auto& [keys, fitting] : kBelong)
      for (const std::string_view key : keys) report_key(s, key, subject, fitting);
  }
  // Nothing is known about times after the run.
  void check_times(const Expectation<D>& e) const {
    const double length = scene.scene_.length;
    const auto within = fmt::format("from 0 to {:g} s, the length of the run", length);
    if (const auto time = at(); time && *time > length)
      s.context().report(*s.find("at"), fmt::format("at {:g} s the run is over", *time), within);
    if (s.has("between") && (e.from > length || e.to < e.from))
      s.context().report(*s.find("between"),
                         e.to < e.from ? "between ends before it begins"
                                       : fmt::format("at {:g} s the run is over", e.from),
                         within);
  }
  void read_how_often(Expectation<D>& e) const {
    e.times = s.whole("times", 0, 1000000000);
    e.at_least = s.whole("at_least", 0, 1000000000);
    e.at_most = s.whole("at_most", 0, 1000000000);
    e.never = s.boolean("never").value_or(false);
    if ((e.never ? 1 : 0) + (e.times ? 1 : 0) + (e.at_least || e.at_most ? 1 : 0) > 1)
      s.context().report(s.node(), "how often is said twice",
                         "one of times, never, and at_least with at_most");
  }
  ExpectReaction reaction() const {
    ExpectReaction r;
    r.reaction = reaction_name("reaction");
    if (s.has("self")) r.self = scene.read_who(s, "self");
    if (s.has("other")) r.other = scene.read_who(s, "other");
    r.once_per_other = s.boolean("once_per_other").value_or(false);
    if (s.has("before")) r.before = reaction_name("before");
    if (s.has("after")) r.after = reaction_name("after");
    if (auto within = s.number("within", 0, 1e9)) r.within = *within;
    if (s.has("within") && !s.has("after"))
      s.context().report(*s.find("within"), "within without after",
                         "after = the reaction that comes first");
    return r;
  }
  std::optional<ExpectContact> contact() const {
    const std::vector<std::string> two = s.texts("contact");
    const toml::array* list = s.find("contact")->as_array();
    if (list == nullptr || list->size() != 2 || two.size() != 2) {
      s.context().report(*s.find("contact"), "contact does not name two",
                         "[\"who\", \"whom\"], each a tag query or '@object'");
      return std::nullopt;
    }
    for (std::size_t i = 0; i < 2; ++i) (void)scene.check_who((*list)[i], two[i]);
    return ExpectContact{two[0], two[1], scene.read_channel(s)};
  }
  ExpectNumber number() const {
    ExpectNumber n{s.text("number").value_or("")};
    n.is = s.number("is");
    n.at_least = s.number("at_least");
    n.at_most = s.number("at_most");
    n.always = always();
    n.at = at();
    return n;
  }
  ExpectCount count() const {
    return {scene.read_query(s, "count"), s.number("is"), s.number("at_least"),
            s.number("at_most"),          at(),           always()};
  }
  ExpectWalker walker() const {
    ExpectWalker w;
    w.walker = object_name("walker");
    w.stands = s.boolean("stands");
    if (s.has("on")) w.on = scene.read_who(s, "on");
    w.highest_at_least = s.number("highest_at_least");
    w.highest_at_most = s.number("highest_at_most");
    w.always = always();
    w.at = at();
    return w;
  }
  ExpectObject<D> object() const {
    ExpectObject<D> o;
    o.object = object_name("object");
    o.present = s.boolean("present");
    if (s.has("inside"))
      if (const Bounds<D>* region = scene.read_region(s, "inside", false)) {
        o.inside = *region;
        o.region = *s.text("inside");
      }
    o.relative_to = object_name("relative_to");
    o.distance_to = object_name("distance_to");
    o.distance_at_least = s.number("distance_at_least", 0);
    o.distance_at_most = s.number("distance_at_most", 0);
    o.speed_at_least = s.number("speed_at_least", 0);
    o.speed_at_most = s.number("speed_at_most", 0);
    o.always = always();
    o.at = at();
    return o;
  }

 private:
  bool always() const { return s.boolean("always").value_or(false); }
  std::optional<double> at() const { return s.number("at", 0, 1e9); }
  std::string object_name(std::string_view key) const {
    std::string name = s.text(key).value_or("");
    if (name.starts_with('@')) name.erase(0, 1);
    return name;
  }
  std::string reaction_name(std::string_view key) const {
    const auto name = s.text(key);
    if (!name) return "";
    std::vector<std::string> names;
    for (const Reaction<D>& known : scene.scene_.reactions) names.push_back(known.name);
    if (std::find(names.begin(), names.end(), *name) == names.end())
      s.context().report(*s.find(key), fmt::format("no reaction is named '{}'", *name),
                         suggestion(*name, names, "the name of a reaction"));
    return *name;
  }
};

template <int D>
std::optional<Expectation<D>> SceneReader<D>::read_expectation(const Section& s,
                                                               std::string_view subject) {
  const ExpectationReader reader{*this, s, subject};
  reader.check_keys();
  Expectation<D> e;
  e.place = context_.place(s.node());
  e.pinned = s.boolean("pinned").value_or(false);
  if (const auto between = s.template vector<2>("between")) {
    e.from = between->x();
    e.to = between->y();
  }
  reader.check_times(e);
  if (subject == "reaction" || subject == "contact") reader.read_how_often(e);
  if (subject == "reaction") e.what = reader.reaction();
  else if (subject == "number") e.what = reader.number();
  else if (subject == "count") e.what = reader.count();
  else if (subject == "outcome") e.what = ExpectOutcome{s.text("outcome").value_or("")};
  else if (subject == "walker") e.what = reader.walker();
  else if (subject == "object") e.what = reader.object();
  else if (const auto contact = reader.contact()) e.what = *contact;
  else return std::nullopt;
  return e;
}

template <int D>
void SceneReader<D>::read_expectations() {
  static constexpr std::array<std::string_view, 7> kSubjects{
      "reaction", "contact", "number", "count", "outcome", "object", "walker"};
  for (const Section& s : top_.tables("expect", "expect")) {
    std::vector<std::string_view> subjects;
    for (const std::string_view subject : kSubjects)
      if (s.has(subject)) subjects.push_back(subject);
    if (subjects.size() != 1) {
      context_.report(s.node(),
                      subjects.empty() ? "an expectation of nothing"
                                       : fmt::format("an expectation of several things: {}",
                                                     fmt::join(subjects, ", ")),
                      fmt::format("one of: {}", fmt::join(kSubjects, ", ")));
      continue;
    }
    if (auto e = read_expectation(s, subjects[0])) {
      scene_.expectations.push_back(std::move(*e));
      scene_.expectation_keys.push_back(context_.key_places(s.layers()));
    }
  }
}

template std::optional<Expectation<2>> SceneReader<2>::read_expectation(const Section&,
                                                                        std::string_view);
template std::optional<Expectation<3>> SceneReader<3>::read_expectation(const Section&,
                                                                        std::string_view);
template bool SceneReader<2>::check_who(const toml::node& at, const std::string& text);
template bool SceneReader<3>::check_who(const toml::node& at, const std::string& text);
template std::string SceneReader<2>::read_who(const Section& s, std::string_view key);
template std::string SceneReader<3>::read_who(const Section& s, std::string_view key);
template std::string SceneReader<2>::check_number_name(const toml::node& at,
                                                       const std::string& text);
template std::string SceneReader<3>::check_number_name(const toml::node& at,
                                                       const std::string& text);
template std::string SceneReader<2>::read_number_name(const Section& s, std::string_view key);
template std::string SceneReader<3>::read_number_name(const Section& s, std::string_view key);
template std::optional<Channel> SceneReader<2>::read_channel(const Section& s);
template std::optional<Channel> SceneReader<3>::read_channel(const Section& s);
template void SceneReader<2>::read_expectations();
template void SceneReader<3>::read_expectations();

}  // namespace colvik::scene
