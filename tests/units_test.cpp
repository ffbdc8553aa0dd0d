// The shipped scenes in other units: millimetres, and pixels of a size that is no power of
// two.
#include <colvik/scene.hpp>

#include <cmath>
#include <filesystem>

#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
void scale_by(Bounds<D>& b, double k) {
  b.lo *= k;
  b.hi *= k;
}
template <int D>
void scale_by(std::optional<Bounds<D>>& b, double k) {
  if (b) scale_by(*b, k);
}

template <int D>
void scale_by(Motion<D>& motion, double k) {
  if (auto* path = std::get_if<Path<D>>(&motion)) {
    for (Waypoint<D>& w : path->points) w.to *= k;
  } else if (auto* steps = std::get_if<std::vector<VelocityFrom<D>>>(&motion)) {
    for (VelocityFrom<D>& v : *steps) v.velocity *= k;
  } else if (auto* circle = std::get_if<Circling<D>>(&motion)) {
    circle->centre *= k;
  } else if (auto* approach = std::get_if<Approach<D>>(&motion)) {
    approach->place *= k;
    approach->speed *= k;
    approach->within *= k;
  }
}

// Lengths are k times as many; masses stay what they are.
template <int D>
void scale_by(ObjectDef<D>& o, double k) {
  o.at *= k;
  o.velocity *= k;
  if (o.on_parent) o.on_parent->position *= k;
  if (o.mass_centre) *o.mass_centre *= k;
  if (o.inertia) *o.inertia *= k * k;
  for (auto& d : o.drawings) {
    d.size *= k;
    d.at *= k;
  }
  for (Spot<D>& s : o.spots) s.pose.position *= k;
  scale_by(o.motion, k);
  if (o.walker) {
    Walker<D>& w = *o.walker;
    w.speed *= k;
    w.jump_speed *= k;
    w.step *= k;
    w.push *= k;
    w.push_least *= k;
    for (std::optional<double>* v :
         {&w.speeding_up, &w.slowing, &w.hold_below, &w.fall_limit, &w.clearance})
      if (*v) **v *= k;
  }
  for (TimedWish<D>& w : o.wishes) w.wish.velocity *= k;
  scale_by(o.heed.re_enters, k);
  scale_by(o.heed.kept_inside, k);
  for (TimedPush<D>& p : o.pushes) {
    p.force *= k;
    p.impulse *= k;
    p.torque *= k * k;
    p.angular_impulse *= k * k;
    if (p.point) *p.point *= k;
  }
  for (ColliderDef<D>& c : o.colliders) {
    c.shape = scaled(c.shape, k);
    c.at *= k;
    c.surface_velocity *= k;
    c.density /= std::pow(k, D);
    if (c.field) {
      c.field->gravity *= k;
      c.field->wind *= k;
      c.field->current *= k;
    }
  }
}

void scale_by(auto&, double) {}
void scale_by(effects::SpotOf& spot, double k) { spot.offset *= k; }
void scale_by(effects::Anywhere& anywhere, double k) {
  anywhere.region.lo *= k;
  anywhere.region.hi *= k;
}
void scale_by(Direction& position, double k) { position *= k; }
void scale_by(effects::Launch& e, double k) { e.velocity *= k; }
void scale_by(effects::Push& e, double k) { e.impulse *= k; }
void scale_by(effects::Attach& e, double k) { e.step *= k; }
void scale_by(effects::Teleport& e, double k) {
  std::visit([k](auto& to) { scale_by(to, k); }, e.to);
}
void scale_by(effects::Send& e, double k) {
  std::visit([k](auto& to) { scale_by(to, k); }, e.to);
  e.speed *= k;
  e.within *= k;
}
void scale_by(effects::Spawn& e, double k) {
  std::visit([k](auto& where) { scale_by(where, k); }, e.where);
  e.velocity *= k;
}

template <int D>
Scene<D> scaled_by(Scene<D> scene, double k) {
  scene.world.gravity *= k;
  scene.world.metre *= k;
  scale_by(scene.world.bounds, k);
  for (ObjectDef<D>& o : scene.objects) scale_by(o, k);
  for (ObjectDef<D>& o : scene.kinds)
    if (!o.colliders.empty()) scale_by(o, k);
  for (Reaction<D>& r : scene.reactions) {
    if (auto* touch = std::get_if<OnTouch>(&r.when)) {
      touch->approach *= k;
      touch->impulse *= k;
    }
    for (Effect& e : r.effects) std::visit([k](auto& what) { scale_by(what, k); }, e.what);
  }
  return scene;
}

template <int D>
Lines reactions_of(const Scene<D>& scene) {
  const auto run = start_run(scene);
  run->run_for(scene.length);
  Lines lines;
  for (const TraceFiring<D>& f : run->trace.firings()) {
    const auto name = [&](std::uint32_t who) {
      return who == kNobody ? "-" : run->trace.objects()[who].name;
    };
    lines.push_back(run->trace.reactions()[f.reaction].name + " " + name(f.self) + " " +
                    name(f.other));
  }
  return lines;
}

}  // namespace

TEST_CASE(
    "the shipped scenes give the same reactions in the same order in millimetres and pixels") {
  int scenes = 0;
  for (const auto& entry : std::filesystem::directory_iterator(COLVIK_SOURCE_DIR "/data")) {
    if (entry.path().extension() != ".toml") continue;
    CAPTURE(entry.path().string());
    const LoadedScene loaded = load_scene(entry.path().string());
    REQUIRE(loaded.ok());
    std::visit(
        [&](const auto& scene) {
          const Lines metres = reactions_of(scene);
          CHECK(reactions_of(scaled_by(scene, 1000)) == metres);
          CHECK(reactions_of(scaled_by(scene, 48)) == metres);
        },
        *loaded.scene);
    ++scenes;
  }
  CHECK(scenes >= 15);
}
