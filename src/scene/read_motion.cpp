// How objects move by data, and what their colliders do by schedule.
#include <fmt/format.h>

#include "scene/scene_reader.h"

namespace colvik::scene {

template <int D>
void SceneReader<D>::read_pushes(const Section& s, ObjectDef<D>& def) {
  if (!s.has("pushes")) return;
  static const std::vector<std::string> frames{"world", "own"};
  for (const Section& p : s.tables("pushes", "push")) {
    TimedPush<D> push;
    push.from = p.number("from").value_or(0);
    push.until = p.number("until").value_or(push.from);
    if (auto force = p.template vector<D>("force")) push.force = *force;
    if (auto torque = read_turning(p, "torque")) push.torque = *torque;
    if (auto impulse = p.template vector<D>("impulse")) push.impulse = *impulse;
    if (auto impulse = read_turning(p, "angular_impulse")) push.angular_impulse = *impulse;
    push.point = p.template vector<D>("point");
    push.own_frame = p.choice("frame", frames).value_or(0) == 1;
    if ((p.has("force") || p.has("torque")) && !p.has("until"))
      context_.report(p.node(), "a force acts for a time", "until = seconds from the start");
    def.pushes.push_back(push);
  }
}

template <int D>
Motion<D> SceneReader<D>::read_path(const Section& s) {
  Path<D> path;
  for (const Section& w : s.tables("path", "waypoint")) {
    w.require("at", "seconds from the start");
    w.require("to", "a position");
    Waypoint<D> point;
    point.at = w.number("at").value_or(0);
    if (auto to = w.template vector<D>("to")) point.to = *to;
    point.turned = w.template turn<D>("turned");
    path.points.push_back(point);
  }
  path.loop = s.boolean("loop").value_or(false);
  const auto at = s.has("at") ? s.template vector<D>("at") : std::nullopt;
  if (at && !path.points.empty() && path.points[0].at <= 0 &&
      (path.points[0].to - *at).norm() > 1e-9 * scene_.world.metre)
    context_.report(*s.find("at"), "the path starts elsewhere", "no at, or the path's first place");
  return path;
}

template <int D>
Motion<D> SceneReader<D>::read_velocities(const Section& s) {
  std::vector<VelocityFrom<D>> steps;
  for (const Section& v : s.tables("velocities", "velocity")) {
    v.require("at", "seconds from the start");
    VelocityFrom<D> step;
    step.at = v.number("at").value_or(0);
    if (auto velocity = v.template vector<D>("velocity")) step.velocity = *velocity;
    if (auto spin = v.template spin<D>("spin")) step.spin = *spin;
    steps.push_back(step);
  }
  return steps;
}

template <int D>
Motion<D> SceneReader<D>::read_circling(const Section& s) {
  Circling<D> circle;
  if (const auto c = s.table("circling", "circling")) {
    c->require("centre", "the centre of the circle");
    c->require("rate", "degrees per second");
    if (auto centre = c->template vector<D>("centre")) circle.centre = *centre;
    if (auto rate = c->template spin<D>("rate")) circle.rate = *rate;
    circle.turns = c->boolean("turns").value_or(false);
  }
  return circle;
}

template <int D>
Motion<D> SceneReader<D>::read_approach(const Section& s) {
  Approach<D> approach;
  if (const auto a = s.table("approach", "approach")) {
    a->require("to", "a position, or \"@object\"");
    a->require("speed", "units per second");
    const toml::node* to = a->find("to");
    if (to != nullptr && to->is_string()) {
      const auto text = *a->text("to");
      if (text.starts_with('@')) {
        approach.object = text.substr(1);
        objects_meant_.emplace_back(to, approach.object);
      } else
        context_.report(*to, fmt::format("'{}' is not a place", text),
                        "[x, ...], or '@' and an object's name");
    } else if (auto place = a->template vector<D>("to")) {
      approach.place = *place;
    }
    approach.speed = a->number("speed").value_or(1);
    approach.within = a->number("within").value_or(0);
  }
  return approach;
}

template <int D>
void SceneReader<D>::read_motion(const Section& s, ObjectDef<D>& def) {
  std::vector<std::string> said;
  for (const char* key : {"path", "velocities", "circling", "approach"})
    if (s.has(key)) said.emplace_back(key);
  if (said.size() > 1)
    context_.report(*s.find(said[1]),
                    fmt::format("an object has several motions: {}", fmt::join(said, ", ")),
                    "one of them");
  if (s.has("loop") && !s.has("path"))
    context_.report(*s.find("loop"), "loop without a path", "path = [...] beside it");
  if (!said.empty()) {
    const std::string& key = said[0];
    def.motion = key == "path"         ? read_path(s)
                 : key == "velocities" ? read_velocities(s)
                 : key == "circling"   ? read_circling(s)
                                       : read_approach(s);
    if (auto good = check_motion<D>(def.motion, scene_.world.metre);
        !good && !context_.reported_at(*s.find(key)))
      context_.report(*s.find(key), fmt::format("{} {}", good.error().where, good.error().what),
                      good.error().accepted);
    if (const auto* path = std::get_if<Path<D>>(&def.motion);
        path != nullptr && !path->points.empty()) {
      if (!s.has("at")) def.at = path->points.front().to;
      if (!s.has("turned") && path->points.front().turned)
        def.turned = *path->points.front().turned;
    }
  }
  if (auto name = s.text("points_at")) {
    def.heed.points_at = name->starts_with('@') ? name->substr(1) : *name;
    objects_meant_.emplace_back(s.find("points_at"), def.heed.points_at);
  }
  if (s.has("re_enters"))
    if (const Bounds<D>* region = read_region(s, "re_enters")) def.heed.re_enters = *region;
  if (s.has("kept_inside"))
    if (const Bounds<D>* region = read_region(s, "kept_inside", false))
      def.heed.kept_inside = *region;
}

template <int D>
void SceneReader<D>::read_schedule(const Section& s, ColliderDef<D>& c) {
  if (const auto f = s.table("field", "field")) {
    Field<D> field;
    if (auto gravity = f->template vector<D>("gravity")) field.gravity = *gravity;
    if (auto wind = f->template vector<D>("wind")) field.wind = *wind;
    if (auto current = f->template vector<D>("current")) field.current = *current;
    field.carries = f->boolean("carries").value_or(false);
    field.drag = f->number("drag", 0, 1e6).value_or(0);
    field.alone = f->boolean("alone").value_or(false);
    c.field = field;
  }
  for (const Section& b : s.tables("schedule", "beat")) {
    b.require("at", "seconds from the start");
    c.schedule.beats.push_back({b.number("at").value_or(0), b.boolean("on"), b.number("scale")});
  }
  c.schedule.period = s.number("period", 0, 1e9).value_or(0);
  const auto* fit = s.has("fit") ? s.find("fit")->as_table() : nullptr;
  if (s.has("period") && !s.has("schedule") && (fit == nullptr || !fit->contains("frames")))
    context_.report(*s.find("period"), "period without a schedule",
                    "schedule = [{ at, on }, ...] beside it");
}

template void SceneReader<2>::read_pushes(const Section& s, ObjectDef<2>& def);
template void SceneReader<3>::read_pushes(const Section& s, ObjectDef<3>& def);
template Motion<2> SceneReader<2>::read_path(const Section& s);
template Motion<3> SceneReader<3>::read_path(const Section& s);
template Motion<2> SceneReader<2>::read_velocities(const Section& s);
template Motion<3> SceneReader<3>::read_velocities(const Section& s);
template Motion<2> SceneReader<2>::read_circling(const Section& s);
template Motion<3> SceneReader<3>::read_circling(const Section& s);
template Motion<2> SceneReader<2>::read_approach(const Section& s);
template Motion<3> SceneReader<3>::read_approach(const Section& s);
template void SceneReader<2>::read_motion(const Section& s, ObjectDef<2>& def);
template void SceneReader<3>::read_motion(const Section& s, ObjectDef<3>& def);
template void SceneReader<2>::read_schedule(const Section& s, ColliderDef<2>& c);
template void SceneReader<3>::read_schedule(const Section& s, ColliderDef<3>& c);

}  // namespace colvik::scene
