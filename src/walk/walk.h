#pragma once
// The move of one walker within a step. What it may meet are its pairs: all that its bounds, grown
// by how far it may get, overlap. walk_move.cpp: casts, sliding, steps; walk_run.cpp: ground, air,
// carrying, pushing.
#include "pairs/model.h"

namespace colvik::world {

template <int D>
class Walk {
 public:
  Walk(Store<D>& store, Walkers<D>& walkers, ObjectState<D>& o, WalkerState<D>& state,
       const std::vector<Pair<D>*>& near);

  void run();

 private:
  using Obstacle = world::Obstacle<D>;
  struct Hit {
    double t = 1;  // fraction of the displacement
    Vec<D> normal = kZero;
    Vec<D> point = kZero;
    const Obstacle* by = nullptr;
    bool climbed = false;  // it was a step
  };
  struct Slid {
    Vec<D> gone = kZero;
    bool landed = false;
    double part = 1;  // of the motion, until it landed
    Hit ground{};
    std::vector<Hit> hits{};
  };

  // walk_move.cpp
  // Where one of its colliders' objects is with the walker there: itself, or what it carries.
  [[nodiscard]] Pose<D> pose_of_own(const ColliderState<D>& own, const Pose<D>& walker) const {
    const ObjectState<D>& o = store_.objects[own.object];
    return o.parent == kAlone ? walker : walker * o.on_root;
  }
  [[nodiscard]] Hit cast(const Vec<D>& from, const Vec<D>& displacement) const;
  // The fraction of the displacement that keeps the clearance.
  [[nodiscard]] double free_part(const Hit& hit, const Vec<D>& displacement,
                                 bool down = false) const;
  void drop_one_way(const Obstacle& by) const;
  bool push_out(int rounds);
  [[nodiscard]] double deepest() const;
  Slid slide(Vec<D> displacement, bool on_ground);
  bool climb(Vec<D>& displacement, Slid& slid, const Vec<D>& wall);
  [[nodiscard]] std::optional<Hit> ground_below(double depth) const;
  [[nodiscard]] double foot(const Vec<D>& at) const;
  [[nodiscard]] std::optional<Vec<D>> surface_behind(const Hit& hit) const;
  [[nodiscard]] std::optional<Vec<D>> ground_behind(const Hit& hit) const;
  [[nodiscard]] bool is_ground(const Hit& hit) const {
    return walkable(hit.normal) || ground_behind(hit);
  }
  [[nodiscard]] bool walkable(const Vec<D>& normal) const { return up_.dot(normal) >= level_; }

  // walk_run.cpp
  void find_obstacles();
  void feel_zones();
  // Its velocity as seen from an object, with what pulls until the step's end.
  [[nodiscard]] Vec<D> velocity_from(const ObjectState<D>& other) const;
  [[nodiscard]] Vec<D> displacement_of(const ObjectState<D>& o, const Vec<D>& point) const;
  [[nodiscard]] bool dropped() const;
  void stop_at(const Hit& hit);
  void stop_in_air(const Hit& hit);
  void note_ground(const Hit& ground);
  void carry();
  void jump();
  void walk_on_ground(double time);
  void fly_through_air(double time);
  void float_about(double time);
  [[nodiscard]] Vec<D> ramp(const Vec<D>& wanted, double control, double time,
                            Vec<D>& velocity) const;
  void lean(const Vec<D>& velocity);
  void stand(const Hit& ground);
  void leave_ground();
  void meet(const Hit& hit, const Vec<D>& velocity);
  void push(const Hit& hit, const Vec<D>& velocity);
  void finish();
  [[nodiscard]] Vec<D> level(const Vec<D>& v) const { return v - up_ * up_.dot(v); }
  [[nodiscard]] const Object<D>& object_of(const Obstacle& by) const {
    return store_.objects[store_.colliders[by.other].object].shown;
  }

  Store<D>& store_;
  Walkers<D>& walkers_;
  ObjectState<D>& o_;
  WalkerState<D>& s_;
  Walking<D>& walking_;
  const Walker<D>& can_;
  const std::vector<Pair<D>*>& near_;
  std::vector<Obstacle>& obstacles_;
  Pose<D> pose_;
  Vec<D> gravity_ = kZero;
  Vec<D> up_ = kZero;
  Vec<D> current_ = kZero;
  Vec<D> wind_ = kZero;
  Vec<D> lift_ = kZero;
  std::vector<std::uint32_t> pushed_;  // bodies, in this step
  double drag_ = 0;
  double owed_ = 0;  // of its displacement, travelled already
  double dt_ = 0;
  double now_ = 0;
  double spent_ = 0;  // seconds: of the step, its start, and what of it is over
  double clearance_ = 0;
  double level_ = 0;  // cosine of the steepest ground
};

}  // namespace colvik::world
