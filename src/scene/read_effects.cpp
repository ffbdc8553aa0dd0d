// What reactions do: one function for each effect, and the table of the keys that belong to it.
#include <fmt/format.h>

#include <algorithm>

#include "scene/section_keys.h"

namespace colvik::scene {

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
    return check_who(*s.find(key), *text) ? std::optional(Target::object(text->substr(1)))
                                          : std::nullopt;
  context_.report(*s.find(key), fmt::format("{} is '{}'", key, *text),
                  "self, other, \"@OBJECT\" or \"all QUERY\"");
  return std::nullopt;
}

// Reads the effect of one section, of which `key` is the effect's own key.
template <int D>
struct SceneReader<D>::EffectReader {
  SceneReader& scene;
  const Section& s;
  std::string_view key;

  // An effect's own key, the keys that it has besides, and what reads it.
  struct Form {
    std::string_view key;
    std::vector<std::string_view> keys;
    effects::Any (EffectReader::*read)() const;
  };
  static const std::vector<Form>& forms() {
    using R = EffectReader;
    static const std::vector<Form> all{
        {"add", {"by", "of"}, &R::add},
        {"set", {"to", "of"}, &R::set},
        {"clamp", {"from", "to", "of"}, &R::clamp},
        {"damage", {"by", "safe"}, &R::damage},
        {"remove", {}, &R::template simple<effects::Remove>},
        {"hide", {}, &R::template simple<effects::Hide>},
        {"show", {}, &R::template simple<effects::Show>},
        {"retag", {"give", "take"}, &R::retag},
        {"stop", {}, &R::template simple<effects::Stop>},
        {"send", {"to", "speed", "within"}, &R::send},
        {"bounce", {"axis"}, &R::bounce},
        {"launch", {"velocity", "frame"}, &R::launch},
        {"push", {"impulse", "away", "by_speed", "at_least", "frame"}, &R::push},
        {"teleport", {"to", "spot", "turned"}, &R::teleport},
        {"spawn",
         {"at", "from", "spot", "within", "seed", "velocity", "spin", "excepts"},
         &R::spawn},
        {"attach", {"to", "spot", "step"}, &R::attach},
        {"detach", {}, &R::template simple<effects::Detach>},
        {"drop_last", {}, &R::drop},
        {"drop_all", {}, &R::drop},
        {"except", {"from", "seconds", "until_apart"}, &R::except},
        {"switch_on", {"collider", "motion"}, &R::switch_part},
        {"switch_off", {"collider", "motion"}, &R::switch_part},
        {"weigh", {"scale"}, &R::weigh},
        {"mirror", {"back"}, &R::mirror},
        {"drop_through", {}, &R::template simple<effects::DropThrough>},
        {"reaction_on", {}, &R::switch_reaction},
        {"reaction_off", {}, &R::switch_reaction},
        {"cue", {}, &R::cue},
        {"restart", {}, &R::restart},
        {"finish", {}, &R::finish}};
    return all;
  }
  // Reports the keys that belong to other effects.
  void check_keys() const {
    std::map<std::string_view, std::vector<std::string_view>> owners;
    for (const Form& form : forms())
      for (const std::string_view k : form.keys) owners[k].push_back(form.key);
    for (const auto& [k, fitting] : owners) report_key(s, k, key, fitting);
  }

  effects::Any add() const {
    s.require("by", "by = how much");
    auto e = of_number<effects::Add>();
    e.by = amount("by");
    return e;
  }
  effects::Any set() const {
    s.require("to", "to = what value");
    auto e = of_number<effects::Set>();
    e.to = amount("to");
    return e;
  }
  effects::Any clamp() const {
    s.require("to", "to = what value");
    auto e = of_number<effects::Clamp>();
    e.least = s.number("from").value_or(-1e15);
    e.most = s.number("to").value_or(1e15);
    return e;
  }
  effects::Any damage() const {
    s.require("by", "by = how much");
    return effects::Damage{target(), amount("by"), s.number("safe", 0, 1e9).value_or(0)};
  }
  effects::Any retag() const {
    return effects::Retag{target(), scene.read_tag_list(s, "give"), scene.read_tag_list(s, "take")};
  }
  effects::Any send() const {
    s.require("to", "a place or whom");
    s.require("speed", "speed = units per second");
    effects::Send e{target()};
    if (is_position("to")) e.to = vector("to");
    else e.to = target("to");
    e.speed = s.number("speed").value_or(1);
    e.within = s.number("within").value_or(0);
    return e;
  }
  effects::Any bounce() const { return effects::Bounce{target(), vector("axis")}; }
  effects::Any launch() const {
    s.require("velocity", "velocity = [...]");
    return effects::Launch{target(), vector("velocity"), in_own_frame(s)};
  }
  effects::Any push() const {
    if (s.has("away") == s.has("impulse"))
      s.context().report(s.node(), "a push has impulse or away", "one of the two");
    if (!s.has("away")) return effects::Push{target(), vector("impulse"), in_own_frame(s)};
    return effects::PushAway{target(), s.number("away").value_or(0),
                             s.boolean("by_speed").value_or(false),
                             s.number("at_least").value_or(0)};
  }
  effects::Any teleport() const {
    s.require("to", "a place or whom");
    effects::Teleport e{target()};
    e.turned = s.boolean("turned").value_or(false);
    if (is_position("to")) e.to = vector("to");
    else e.to = effects::SpotOf{target("to"), s.text("spot").value_or("")};
    return e;
  }
  effects::Any spawn() const {
    effects::Spawn e{s.text(key).value_or("")};
    if (scene.kinds_.find(e.kind) == scene.kinds_.end())
      (void)scene.find_kind(*s.find(key), e.kind);
    const int places = (s.has("within") ? 1 : 0) + (s.has("from") || s.has("at") ? 1 : 0);
    if (places != 1)
      s.context().report(s.node(), "spawn does not say one place",
                         "at; from, with spot and at; or within");
    if (s.has("within")) e.where = anywhere();
    else if (s.has("from"))
      e.where = effects::SpotOf{target("from"), s.text("spot").value_or(""), vector("at")};
    else e.where = vector("at");
    e.velocity = vector("velocity");
    if (s.has("excepts")) e.excepts = target("excepts");
    if (const auto spin = s.template spin<D>("spin")) {
      if constexpr (D == 2) e.spin[2] = (*spin)[0];
      else e.spin = *spin;
    }
    return e;
  }
  effects::Any attach() const {
    s.require("to", "a place or whom");
    if (is_position("to"))
      s.context().report(*s.find("to"), "something is attached to a place", "whom");
    return effects::Attach{target(), is_position("to") ? Target() : target("to"),
                           s.text("spot").value_or(""), vector("step")};
  }
  effects::Any drop() const { return effects::Drop{target(), key == "drop_all"}; }
  effects::Any except() const {
    s.require("from", "from = whom it does not meet");
    return effects::Except{target(), target("from"), s.number("seconds", 0, 1e9).value_or(0),
                           s.boolean("until_apart").value_or(false)};
  }
  effects::Any switch_part() const {
    if (s.has("collider") == s.has("motion"))
      s.context().report(s.node(), fmt::format("{} does not say what", key),
                         "collider = its number, or motion = true");
    const bool on = key == "switch_on";
    if (s.boolean("motion").value_or(false)) return effects::SwitchMotion{target(), on};
    return effects::SwitchCollider{target(), s.whole("collider", 0, 1000000).value_or(0), on};
  }
  effects::Any weigh() const {
    s.require("scale", "scale = of gravity");
    return effects::Weigh{target(), s.number("scale").value_or(0)};
  }
  effects::Any mirror() const {
    return effects::Mirror{target(), s.boolean("back").value_or(false)};
  }
  effects::Any switch_reaction() const {
    return effects::SwitchReaction{s.text(key).value_or(""), key == "reaction_on"};
  }
  effects::Any cue() const { return effects::Cue{s.text(key).value_or("")}; }
  effects::Any restart() const {
    (void)s.boolean(key);
    return effects::Restart{};
  }
  effects::Any finish() const { return effects::Finish{s.text(key).value_or("")}; }

 private:
  template <class E>
  effects::Any simple() const {
    return E{target()};
  }
  Target target() const { return target(key); }
  Target target(std::string_view of) const { return scene.read_target(s, of).value_or(Target()); }
  // With the number's name, and whose number "each.NAME" is.
  template <class E>
  E of_number() const {
    E e;
    e.number = scene.read_number_name(s, key);
    if (e.number.starts_with("each.")) s.require("of", "of = whose, such as \"all parcel\"");
    e.each = target("of");
    return e;
  }
  // A number, or another number's name, with '-' before it taken away.
  Amount amount(std::string_view of) const {
    const toml::node* node = s.find(of);
    if (node == nullptr || !node->is_string()) return s.number(of).value_or(0);
    const std::string text = s.text(of).value_or("");
    const bool less = text.starts_with('-');
    return {scene.check_number_name(*node, less ? text.substr(1) : text), less ? -1.0 : 1.0};
  }
  Direction vector(std::string_view of) const {
    const auto v = s.template vector<D>(of);
    return v ? padded<D>(*v) : Direction(kZero);
  }
  bool is_position(std::string_view of) const {
    const toml::node* node = s.find(of);
    return node != nullptr && node->is_array();
  }
  effects::Anywhere anywhere() const {
    effects::Anywhere all{{kZero, kZero}, s.whole("seed", 0, 1000000000).value_or(1)};
    if (const Bounds<D>* region = scene.read_region(s, "within")) {
      all.region.lo.head<D>() = region->lo;
      all.region.hi.head<D>() = region->hi;
    }
    return all;
  }
};

template <int D>
std::optional<Effect> SceneReader<D>::read_effect(const Section& s) {
  std::vector<std::string_view> known;
  std::vector<std::string_view> named;
  const typename EffectReader::Form* form = nullptr;
  for (const auto& one : EffectReader::forms()) {
    known.push_back(one.key);
    if (!s.has(one.key)) continue;
    named.push_back(one.key);
    form = &one;
  }
  if (named.size() != 1) {
    context_.report(s.node(),
                    named.empty()
                        ? "an effect does nothing"
                        : fmt::format("an effect does several things: {}", fmt::join(named, ", ")),
                    fmt::format("one of: {}", fmt::join(known, ", ")));
    return std::nullopt;
  }
  const EffectReader reader{*this, s, form->key};
  reader.check_keys();
  return Effect{(reader.*form->read)(), s.number("after", 0, 1e9).value_or(0)};
}

template std::optional<Target> SceneReader<2>::read_target(const Section& s, std::string_view key);
template std::optional<Target> SceneReader<3>::read_target(const Section& s, std::string_view key);
template std::optional<Effect> SceneReader<2>::read_effect(const Section& s);
template std::optional<Effect> SceneReader<3>::read_effect(const Section& s);

}  // namespace colvik::scene
