// All moves are those of a real walker in a real world; only its stops are chosen.
#include <algorithm>
#include <cmath>
#include <limits>

#include "explain/leak_ground.h"

namespace colvik::reasons {

namespace {

constexpr double kLongestFlight = 30;  // seconds; what falls longer has left everything
constexpr double kAlong = 1 - 1e-12;   // cosine of what is parallel
constexpr double kInfinity = std::numeric_limits<double>::infinity();

template <int D>
std::vector<std::string> names_of(const TagSet& set, const Tags& tags) {
  std::vector<std::string> names;
  for (const Tag tag : set.list()) names.push_back(tags.name(tag));
  return names;
}

template <int D>
ObjectDef<D> still(const World<D>& from, const Object<D>& o) {
  ObjectDef<D> def;
  def.name = o.name;
  def.at = o.pose.position;
  def.turned = o.pose.rotation;
  def.tags = names_of<D>(o.tags, from.tags());
  for (const Collider<D>& c : o.colliders) {
    def.colliders.push_back(c.def);
    def.colliders.back().meets = c.meets.text();
    def.colliders.back().schedule = {};
  }
  return def;
}

// Axes of the world where up is along one, so that turned and mirrored scenes are alike.
template <int D>
Frame<D> frame_for(const Vec<D>& gravity) {
  Frame<D> f;
  f.gravity = gravity;
  f.heavy = !gravity.isZero();
  const Vec<D> up = f.heavy ? Vec<D>(-gravity.normalized()) : Vec<D>(Vec<D>::Unit(D - 1));
  f.axes[D - 1] = up;
  int flattest = 0;
  for (int i = 1; i < D; ++i)
    if (std::abs(up[i]) < std::abs(up[flattest]) - 1e-12) flattest = i;
  f.axes[0] = (Vec<D>::Unit(flattest) - up * up[flattest]).normalized();
  if constexpr (D == 3) f.axes[1] = cross(up, f.axes[0]);
  return f;
}

Rotation<2> onto_x(const Vec<2>& direction) {
  return Rotation<2>(-angle_of(direction.y(), direction.x()));
}
Rotation<3> onto_x(const Vec<3>& direction) {
  const Vec<3> axis = cross(direction, Vec<3>(Vec<3>::UnitX()));
  const double sine = axis.norm();
  if (sine < 1e-12) return direction.x() > 0 ? Rotation<3>() : Rotation<3>(Vec<3>::UnitZ(), kPi);
  return {axis, angle_of(sine, direction.x())};
}

}  // namespace

template <int D>
Ground<D>::Ground(const World<D>& world, ObjectId walker, const LeakQuestion<D>& question,
                  double resolution)
    : inside_(question.inside), stride_(resolution), fly_(question.fly) {
  const Object<D>& own = world.object(walker);
  can_ = *own.walker;
  turned_ = own.pose.rotation;
  WorldSettings<D> settings = world.settings();
  frame_ = frame_for<D>(fly_ ? Vec<D>(kZero) : Vec<D>(settings.gravity * own.gravity_scale));
  // One step is one stride, whatever the scene's own rate.
  rate_ = std::clamp(can_.speed / stride_, 20.0, 240.0);
  settings.rate = rate_;
  settings.substeps = 1;  // nothing is dynamic
  settings.leaving = Leaving::kept;
  world_ = std::make_unique<World<D>>(settings);
  for (const std::string& tag : world.tags().names()) world_->tags().declare(tag).value();
  const Result<Who> to = Who::parse(question.to.empty() ? "none" : question.to, world.tags());
  add_walker(world, own);
  for (const ObjectId id : world.objects()) {
    const Object<D>& o = world.object(id);
    if (o.root == own.root || !o.active || o.going) continue;
    copy(world, own.id, o, !question.to.empty() && to && to.value().matches(o.name, o.tags));
  }
  find_limits();
}

template <int D>
void Ground<D>::add_walker(const World<D>& from, const Object<D>& o) {
  ObjectDef<D> def = still(from, o);
  def.body = BodyKind::kinematic;
  def.gravity_scale = o.gravity_scale;
  def.walker = can_;
  walker_ = world_->add(def).value();
  for (const ObjectId id : from.objects()) {  // what it carries
    const Object<D>& child = from.object(id);
    if (child.root != o.id || id == o.id || !child.active) continue;
    ObjectDef<D> with = still(from, child);
    with.parent = o.name;
    world_->add(with).value();
  }
}

template <int D>
void Ground<D>::copy(const World<D>& from, ObjectId walker, const Object<D>& o, bool target) {
  const ObjectId id = world_->add(still(from, o)).value();
  if (target) targets_.push_back(id);
  for (std::size_t i = 0; i < o.colliders.size(); ++i)
    if (from.decide(walker, 0, o.id, i).by == DecidedBy::excepted) {
      world_->except(walker_, id);
      return;
    }
}

template <int D>
void Ground<D>::find_limits() {
  double largest = 0;
  for (const ObjectId id : world_->objects()) {
    const Object<D>& o = world_->object(id);
    const bool own = o.root == walker_;
    for (const Collider<D>& c : o.colliders) {
      if (c.def.shape.kind == ShapeKind::half_space) continue;
      const Bounds<D> around = bounds(c.def.shape, o.pose * Pose<D>{c.def.at, c.def.turned});
      limits_ = limits_.merged(around);
      if (!own || c.def.zone) continue;
      const double least = around.size().minCoeff();
      smallest_ = smallest_ > 0 ? std::min(smallest_, least) : least;
      largest = std::max(largest, around.size().maxCoeff());
    }
  }
  if (inside_) limits_ = *inside_;
  limits_ = limits_.grown(4 * largest + rise());
}

template <int D>
bool Ground<D>::out(const Vec<D>& at) const {
  return inside_ && !inside_->contains(at);
}

template <int D>
Vec<D> Ground<D>::border(const Vec<D>& in, const Vec<D>& out_there) const {
  double inner = 0;
  double outer = 1;
  while (outer - inner > 1e-6) {
    const double middle = (inner + outer) / 2;
    (out(in + (out_there - in) * middle) ? outer : inner) = middle;
  }
  return in + (out_there - in) * outer;
}

template <int D>
std::pair<double, double> Ground<D>::reach(const Vec<D>& direction) const {
  const Rotation<D> to_x = onto_x(direction);
  Bounds<D> all;
  for (const Collider<D>& c : world_->object(walker_).colliders)
    if (!c.def.zone)
      all = all.merged(
          bounds(c.def.shape, Pose<D>{kZero, to_x * turned_} * Pose<D>{c.def.at, c.def.turned}));
  return {all.lo[0], all.hi[0]};
}

template <int D>
std::optional<Answer<D>> Ground<D>::blocked(const Vec<D>& at) const {
  return world_->deepest(walker_, at);
}

template <int D>
void Ground<D>::put(const Vec<D>& at) {
  world_->place(walker_, {at, turned_});
  world_->stop(walker_);
}

// A walker that is put on other ground stands there some steps later.
template <int D>
bool Ground<D>::put_standing(const Vec<D>& at) {
  put(at);
  if (!frame_.heavy) return true;
  bool stands = false;
  for (int k = 0; k < 4 && !stands; ++k) {
    world_->step();
    stands = world_->walking(walker_)->standing;
  }
  put(at);
  return stands;
}

template <int D>
bool Ground<D>::advance(Moved<D>& moved) {
  world_->step();
  const Object<D>& o = world_->object(walker_);
  moved.at = o.pose.position;
  moved.standing = !frame_.heavy || world_->walking(walker_)->standing;
  if (!targets_.empty())
    for (const Event<D>& e : world_->events()) {
      if (e.phase != Phase::begin || (e.self_root != walker_ && e.other_root != walker_)) continue;
      const ObjectId other = e.self_root == walker_ ? e.other : e.self;
      if (std::find(targets_.begin(), targets_.end(), other) != targets_.end())
        moved.touched.emplace_back(other, moved.at);
    }
  moved.out = out(moved.at);
  return !moved.out && limits_.contains(moved.at);
}

template <int D>
Moved<D> Ground<D>::settle(const Vec<D>& at) {
  Moved<D> moved;
  put(at);
  world_->wish(walker_, {.fly = fly_});
  moved.at = at;
  for (int k = 0; k < kLongestFlight * rate_; ++k)
    if (!advance(moved) || moved.standing) break;
  return moved;
}

template <int D>
Moved<D> Ground<D>::walk(const Vec<D>& at, const Vec<D>& direction, double distance) {
  Moved<D> moved;
  moved.at = at;
  put(at);
  const double speed = std::min(can_.speed, stride_ * rate_);
  double best = 0;
  bool first = true;
  const int patience = can_.speeding_up ? 3 : 1;
  for (int still = 0; still < patience;) {  // pressed into a corner it may go to and fro
    const double left = distance - best;
    world_->wish(walker_, {.velocity = direction * std::min(speed, left * rate_), .fly = fly_});
    const bool goes_on = advance(moved);
    if (first && !moved.standing && put_standing(at)) {
      first = false;
      continue;
    }
    first = false;
    if (!goes_on || !moved.standing) return moved;
    const double gone = direction.dot(moved.at - at);
    if (gone >= distance * (1 - 1e-6)) return moved;
    still = gone - best < 1e-3 * stride_ ? still + 1 : 0;
    best = std::max(best, gone);
  }
  return moved;
}

template <int D>
void Ground<D>::glide(Moved<D>& moved, const Vec<D>& first, const Vec<D>& second) {
  const bool jumped = world_->walking(walker_)->wish.jump;
  for (int k = 0; k < kLongestFlight * rate_ && !moved.standing; ++k) {
    const bool rises = world_->object(walker_).velocity.dot(frame_.axes[D - 1]) > 0;
    world_->wish(walker_, {.velocity = (rises ? first : second) * can_.speed, .jump = jumped});
    if (!advance(moved)) return;
  }
}

template <int D>
Moved<D> Ground<D>::jump(const Vec<D>& at, const Vec<D>& first, const Vec<D>& second,
                         bool running) {
  Moved<D> moved;
  const double run =
      running && can_.speeding_up ? can_.speed * can_.speed / (2 * *can_.speeding_up) : 0;
  // From where it reaches its top speed at the edge; the step that loses the ground is the jump's.
  const Vec<D> start = at - first * run;
  if (run > 0 && blocked(start)) return moved;
  int steps = 0;
  for (const bool jumps : {false, true}) {
    if (jumps && running && steps == 0) return moved;
    moved = {start, put_standing(start), false, {}};
    if (!moved.standing) return moved;
    for (int k = 0; running && k < (jumps ? steps - 1 : 10'000) && moved.standing; ++k) {
      world_->wish(walker_, {.velocity = first * can_.speed});
      const Vec<D> before = moved.at;
      if (!advance(moved)) return moved;
      if (!jumps) steps = moved.standing && (moved.at - before).dot(first) < 1e-6 ? 10'000 : k + 1;
      if (steps == 10'000) return moved;
    }
  }
  world_->wish(walker_, {.velocity = first * can_.speed, .jump = true});
  if (!advance(moved)) return moved;
  glide(moved, first, second);
  return moved;
}

template <int D>
Moved<D> Ground<D>::fall(const Vec<D>& at, const Vec<D>& direction) {
  Moved<D> moved;
  moved.at = at;
  put(at);
  world_->wish(walker_, {.velocity = direction * can_.speed});
  if (advance(moved)) glide(moved, direction, direction);
  return moved;
}

template <int D>
Moved<D> Ground<D>::drop(const Vec<D>& at) {
  Moved<D> moved;
  moved.at = at;
  if (!put_standing(at)) return moved;
  world_->wish(walker_, {.drop = true});
  if (!advance(moved) || moved.standing) return moved;
  glide(moved, kZero, kZero);
  return moved;
}

template <int D>
std::optional<typename Ground<D>::Stop> Ground<D>::ahead(const Vec<D>& at, const Vec<D>& direction,
                                                         double distance, const Stop* only) const {
  std::optional<Stop> best;
  const Vec<D>& up = frame_.axes[D - 1];
  const bool level = frame_.heavy && std::abs(up.dot(direction)) < 1e-9;
  const Object<D>& o = world_->object(walker_);
  for (std::size_t i = 0; i < o.colliders.size(); ++i) {
    const ColliderDef<D>& own = o.colliders[i].def;
    if (own.zone || !own.on) continue;
    const Pose<D> start =
        Pose<D>{at + up * (level ? raised() : 0), turned_} * Pose<D>{own.at, own.turned};
    const auto take = [&](const Answer<D>& a) {
      if (only != nullptr && (a.object != only->object || a.collider != only->collider))
        return Take::no;
      const Verdict v = world_->decide(walker_, i, a.object, a.collider);
      const bool one_way = !world_->object(a.object).colliders[a.collider].def.one_way.isZero();
      return v.meet && v.channel == Channel::solid && !one_way ? Take::yes : Take::no;
    };
    const auto hit =
        world_->first(ShapeCast<D>{own.shape, start, direction * distance, kZero},
                      {.who = {}, .solids = true, .zones = false, .except = walker_, .take = take});
    if (hit && (!best || hit->at * distance < best->at))
      best = Stop{hit->object, hit->collider, hit->at * distance};
  }
  return best;
}

template <int D>
std::optional<Bounds<D>> Ground<D>::level_floor(const Vec<D>& at) const {
  const Vec<D>& up = frame_.axes[D - 1];
  const auto ground = ahead(at, -up, 0.1 * smallest_);
  if (!ground) return std::nullopt;
  const Object<D>& o = world_->object(ground->object);
  const ColliderDef<D>& c = o.colliders[ground->collider].def;
  if (!c.surface_velocity.isZero()) return std::nullopt;
  const Pose<D> pose = o.pose * Pose<D>{c.at, c.turned};
  if (c.shape.kind == ShapeKind::half_space) {
    if (pose.rotation.axis(1).dot(up) < kAlong) return std::nullopt;
    const Vec<D> far = Vec<D>::Constant(std::numeric_limits<double>::max());
    return Bounds<D>{-far, far};
  }
  if (c.shape.kind != ShapeKind::box || c.shape.radius > 0) return std::nullopt;
  for (int i = 0; i < D; ++i)
    if (pose.rotation.axis(i).cwiseAbs().maxCoeff() < kAlong) return std::nullopt;
  return bounds(c.shape, pose);
}

template <int D>
double Ground<D>::room(const Vec<D>& at, double most) const {
  const Vec<D>& up = frame_.axes[D - 1];
  if (up.cwiseAbs().maxCoeff() < kAlong) return 0;
  std::optional<Bounds<D>> floor;
  if (frame_.heavy) {
    floor = level_floor(at);
    if (!floor) return 0;
  }
  const auto take = [&](const Answer<D>& a) {
    const ColliderDef<D>& c = world_->object(a.object).colliders[a.collider].def;
    const bool aim = std::find(targets_.begin(), targets_.end(), a.object) != targets_.end();
    return !c.zone || c.field || aim ? Take::yes : Take::no;
  };
  std::array<std::pair<double, double>, D> own;
  for (std::size_t k = 0; k < own.size(); ++k) own[k] = reach(frame_.axes[k]);
  double half = 2 * most;
  while ((half *= 0.5) > 0.9 * stride_) {
    Vec<D> lo = at;
    Vec<D> hi = at;
    for (std::size_t k = 0; k < own.size(); ++k) {
      const Vec<D>& axis = frame_.axes[k];
      int i = 0;
      axis.cwiseAbs().maxCoeff(&i);
      const bool upward = frame_.heavy && k + 1 == own.size();
      auto [back, front] = own[k];
      back = upward ? back + 0.02 * smallest_ : back - half;
      front = upward ? front + rise() : front + half;
      lo[i] += axis[i] > 0 ? back : -front;
      hi[i] += axis[i] > 0 ? front : -back;
      if (floor && !upward && (at[i] - half < floor->lo[i] || at[i] + half > floor->hi[i]))
        lo[i] = kInfinity;
    }
    if (!lo.allFinite()) continue;
    Shape<D> space;
    if constexpr (D == 2) space = box(hi[0] - lo[0], hi[1] - lo[1]);
    else space = box(hi[0] - lo[0], hi[1] - lo[1], hi[2] - lo[2]);
    if (!world_->any(OverlapWith<D>{space, {(lo + hi) / 2, {}}},
                     {.who = {}, .solids = true, .zones = true, .except = walker_, .take = take}))
      return half;
  }
  return 0;
}

template <int D>
bool Ground<D>::on_one_way() const {
  const ObjectId on = world_->walking(walker_)->on;
  return world_->alive(on) &&
         std::any_of(world_->object(on).colliders.begin(), world_->object(on).colliders.end(),
                     [](const Collider<D>& c) { return !c.def.one_way.isZero(); });
}

template <int D>
bool Ground<D>::above(const Vec<D>& at) const {
  const Vec<D>& up = frame_.axes[D - 1];
  const auto [foot, head] = reach(up);
  Vec<D> half = kZero;
  for (const Vec<D>& axis : frame_.axes) {
    const bool upward = &axis == &frame_.axes[D - 1];
    half += axis.cwiseAbs() * (upward ? rise() / 2 : reach(axis).second + stride_);
  }
  Shape<D> space;
  if constexpr (D == 2) space = box(2 * half[0], 2 * half[1]);
  else space = box(2 * half[0], 2 * half[1], 2 * half[2]);
  // What also stands in its way lower down is none: going there finds it.
  const auto take = [&, low = foot](const Answer<D>& a) {
    const Object<D>& o = world_->object(a.object);
    const ColliderDef<D>& c = o.colliders[a.collider].def;
    if (!is_convex(c.shape)) return Take::yes;
    const Pose<D> seen = Pose<D>{kZero, onto_x(up)} *
                         Pose<D>{o.pose.position - at, o.pose.rotation} * Pose<D>{c.at, c.turned};
    return bounds(c.shape, seen).lo[0] > low + raised() ? Take::yes : Take::no;
  };
  return world_->any(OverlapWith<D>{space, {at + up * (head + rise() / 2), {}}},
                     {.who = {}, .solids = true, .zones = false, .except = walker_, .take = take});
}

template <int D>
bool Ground<D>::too_high(const Vec<D>& at, const Vec<D>& direction) const {
  const auto low = ahead(at, direction, smallest_);
  if (!low) return false;
  const Object<D>& o = world_->object(low->object);
  const Vec<D> top = at + frame_.axes[D - 1] * (rise() + 0.1 * smallest_);
  return is_convex(o.colliders[low->collider].def.shape) &&
         ahead(top, direction, smallest_, &*low).has_value();
}

template <int D>
double Ground<D>::rise() const {
  return jumps() ? can_.jump_speed * can_.jump_speed / (2 * frame_.gravity.norm()) : 0;
}

template class Ground<2>;
template class Ground<3>;

}  // namespace colvik::reasons
