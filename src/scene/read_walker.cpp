// Walkers: what they can do, and what they are to do when.
#include <fmt/format.h>

#include <fstream>
#include <sstream>

#include "scene/scene_reader.h"

namespace colvik::scene {

template <int D>
void SceneReader<D>::read_walker(const Section& s, ObjectDef<D>& def) {
  if (const std::vector<const toml::table*> layers = s.layers_of("walker");
      s.has("walker") && !layers.empty()) {
    const Section w(context_, "walker", layers);  // inherited piece by piece
    Walker<D> can;
    w.require("speed", "speed = its top speed");
    can.speed = w.number("speed").value_or(1);
    can.speeding_up = w.number("speeding_up");
    can.slowing = w.number("slowing");
    can.hold_below = w.number("hold_below");
    can.fall_limit = w.number("fall_limit");
    can.clearance = w.number("clearance");
    for (const auto& [key, value] :
         {std::pair("air_control", &can.air_control), std::pair("jump_speed", &can.jump_speed),
          std::pair("jump_cut", &can.jump_cut), std::pair("step", &can.step),
          std::pair("push", &can.push), std::pair("push_at_least", &can.push_least),
          std::pair("weight", &can.weight)})
      if (auto number = w.number(key)) *value = *number;
    if (auto degrees = w.number("steepest")) can.steepest = radians(*degrees);
    if (w.has("jump_height") && w.has("jump_speed"))
      context_.report(*w.find("jump_height"), "a walker has jump_height and jump_speed",
                      "one of the two");
    if (auto height = w.number("jump_height", 0, 1e9)) {
      can.jump_speed = jump_speed(*height, scene_.world.gravity.norm() * def.gravity_scale);
      if (scene_.world.gravity.isZero(0))
        context_.report(*w.find("jump_height"), "a jump has no height without gravity",
                        "jump_speed, or gravity");
    }
    if (w.has("pushes")) can.pushes = read_query(w, "pushes");
    if (w.has("yields_to")) can.yields_to = read_query(w, "yields_to");
    for (const auto& [key, value] :
         {std::pair("keeps_speed", &can.keeps_speed), std::pair("turns_along", &can.turns_along),
          std::pair("mirrors", &can.mirrors)})
      if (auto yes = w.boolean(key)) *value = *yes;
    def.walker = can;
  } else if (s.has("walker")) {
    (void)s.table("walker", "walker");  // reports what it is instead
  }
  if (s.has("wishes")) read_wishes(s, def);
}

template <int D>
void SceneReader<D>::read_wishes(const Section& s, ObjectDef<D>& def) {
  const toml::node& node = *s.find("wishes");
  if (!node.is_string()) return read_wish_list(s.tables("wishes", "wish"), def);
  const auto path = context_.path_of(node, *s.text("wishes"));
  if (!path) return;
  std::ifstream file(*path, std::ios::binary);
  std::stringstream text;
  if (file) text << file.rdbuf();
  if (!file)
    return context_.report(node, fmt::format("the file '{}' cannot be read", *path),
                           "a TOML file with wishes = [...] beside the scene file");
  // Read with its own places; its problems are reported like those of the scene.
  Context own;
  own.file = *path;
  try {
    const toml::table root = toml::parse(text.str(), std::string_view{own.file});
    const Section top(own, "object", {&root});
    if (!top.has("wishes"))
      own.report(toml::source_position{1, 1}, "the file has no wishes", "wishes = [...]");
    const toml::table nothing;
    SceneReader<D> reader(own, nothing);
    reader.read_wish_list(top.tables("wishes", "wish"), def);
  } catch (const toml::parse_error& error) {
    own.report(error.source().begin, std::string(error.description()), "TOML with wishes = [...]");
  }
  context_.problems.insert(context_.problems.end(), own.problems.begin(), own.problems.end());
}

template <int D>
void SceneReader<D>::read_wish_list(const std::vector<Section>& list, ObjectDef<D>& def) {
  TimedWish<D> now;
  for (const Section& w : list) {
    w.require("at", "seconds from the start");
    now.at = w.number("at", 0, 1e9).value_or(0);
    if (w.has("walk") && w.has("velocity"))
      w.context().report(*w.find("velocity"), "a wish has walk and velocity", "one of the two");
    if (auto part = w.number("walk", -1, 1))
      now.wish.velocity = *part * (def.walker ? def.walker->speed : 0) * Vec<D>(Vec<D>::Unit(0));
    if (auto velocity = w.template vector<D>("velocity")) now.wish.velocity = *velocity;
    now.wish.jump = w.boolean("jump").value_or(now.wish.jump);
    now.wish.drop = w.boolean("drop").value_or(now.wish.drop);
    now.wish.fly = w.boolean("fly").value_or(now.wish.fly);
    def.wishes.push_back(now);
  }
}

template <int D>
void SceneReader<D>::read_controls() {
  const std::span<const std::string> keys = control_keys();
  for (const Section& c : top_.tables("controls", "control")) {
    c.require("key", "the key that is held");
    typename Scene<D>::Control control;
    control.place = context_.place(c.node());
    if (const auto key = c.choice("key", keys)) control.key = keys[*key];
    control.walker = c.text("walker").value_or("");
    control.input = c.text("input").value_or("");
    const ObjectDef<D>* walker = nullptr;
    std::vector<std::string> names;
    for (const ObjectDef<D>& o : scene_.objects) {
      if (!o.walker) continue;
      names.push_back(o.name);
      if (o.name == control.walker) walker = &o;
    }
    if (c.has("walker") && walker == nullptr)
      context_.report(*c.find("walker"), fmt::format("no walker is named '{}'", control.walker),
                      suggestion(control.walker, names, "the name of an object with a walker"));
    if (!c.has("walker") && !c.has("input"))
      context_.report(c.node(), "the key does nothing", "walker or input");
    if (c.has("walk") && c.has("velocity"))
      context_.report(*c.find("velocity"), "a control has walk and velocity", "one of the two");
    if (const auto part = c.number("walk", -1, 1); part && walker != nullptr)
      control.wish.velocity = *part * walker->walker->speed * Vec<D>(Vec<D>::Unit(0));
    if (const auto velocity = c.template vector<D>("velocity")) control.wish.velocity = *velocity;
    control.wish.jump = c.boolean("jump").value_or(false);
    control.wish.drop = c.boolean("drop").value_or(false);
    control.wish.fly = c.boolean("fly").value_or(false);
    if (!c.has("walker"))
      for (const char* key : {"walk", "velocity", "jump", "drop", "fly"})
        if (c.has(key))
          context_.report(*c.find(key), fmt::format("'{}' is nobody's wish", key), "with walker");
    scene_.controls.push_back(std::move(control));
  }
}

template void SceneReader<2>::read_controls();
template void SceneReader<3>::read_controls();
template void SceneReader<2>::read_walker(const Section& s, ObjectDef<2>& def);
template void SceneReader<3>::read_walker(const Section& s, ObjectDef<3>& def);
template void SceneReader<2>::read_wishes(const Section& s, ObjectDef<2>& def);
template void SceneReader<3>::read_wishes(const Section& s, ObjectDef<3>& def);
template void SceneReader<2>::read_wish_list(const std::vector<Section>& list, ObjectDef<2>& def);
template void SceneReader<3>::read_wish_list(const std::vector<Section>& list, ObjectDef<3>& def);

}  // namespace colvik::scene
