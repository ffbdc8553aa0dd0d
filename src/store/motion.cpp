#include "store/motion.h"

#include <algorithm>

#include "store/access.h"
#include "store/objects.h"

namespace colvik::world {

namespace {

template <int D>
Pose<D> pose_on_path(const Path<D>& path, double time, const Rotation<D>& unturned) {
  const std::vector<Waypoint<D>>& p = path.points;
  const double first = p.front().at;
  const double last = p.back().at;
  double t = time;
  if (path.loop && t > last)
    t = first + (t - first) - std::floor((t - first) / (last - first)) * (last - first);
  std::size_t next = 0;
  while (next < p.size() && p[next].at <= t) ++next;
  // A waypoint without a turn keeps the last one given, or the object's own.
  const auto turn_at = [&](std::size_t i) {
    for (std::size_t k = i + 1; k-- > 0;)
      if (p[k].turned) return *p[k].turned;
    return unturned;
  };
  if (next == 0) return {p.front().to, turn_at(0)};
  if (next == p.size()) return {p.back().to, turn_at(p.size() - 1)};
  const double part = (t - p[next - 1].at) / (p[next].at - p[next - 1].at);
  return {p[next - 1].to + (p[next].to - p[next - 1].to) * part,
          interpolate<D>(turn_at(next - 1), turn_at(next), part)};
}

}  // namespace

template <int D>
void follow_motion(Store<D>& store, ObjectState<D>& o) {
  const double dt = 1 / store.settings.rate;
  const double now = static_cast<double>(store.steps) / store.settings.rate - o.lag;
  const double then = static_cast<double>(store.steps + 1) / store.settings.rate - o.lag;
  Object<D>& s = o.shown;
  if (const auto* path = std::get_if<Path<D>>(&s.motion)) {
    o.target = pose_on_path(*path, then, s.pose.rotation);
  } else if (const auto* velocities = std::get_if<std::vector<VelocityFrom<D>>>(&s.motion)) {
    for (const VelocityFrom<D>& v : *velocities)
      if (v.at <= now) {
        s.velocity = v.velocity;
        s.spin = v.spin;
      }
  } else if (const auto* circle = std::get_if<Circling<D>>(&s.motion)) {
    const Rotation<D> turn = Rotation<D>::from_spin(circle->rate * dt);
    o.target = Pose<D>{circle->centre + turn * Vec<D>(s.pose.position - circle->centre),
                       circle->turns ? turn * s.pose.rotation : s.pose.rotation};
  } else if (const auto* approach = std::get_if<Approach<D>>(&s.motion)) {
    Vec<D> goal = approach->place;
    if (!approach->object.empty()) {
      const auto at = store.by_name.find(approach->object);
      goal = at != store.by_name.end() ? store.objects[at->second].shown.pose.position
                                       : s.pose.position;
    }
    const Vec<D> offset = goal - s.pose.position;
    const double far = offset.norm();
    const double left = std::max(0.0, far - approach->within);
    o.target = s.pose;
    if (left > 0) o.target->position += offset * (std::min(left, approach->speed * dt) / far);
  }
}

template void follow_motion(Store<2>& store, ObjectState<2>& o);
template void follow_motion(Store<3>& store, ObjectState<3>& o);

}  // namespace colvik::world
