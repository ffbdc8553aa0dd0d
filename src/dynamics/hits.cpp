// What bounces, at its own time within a substep.
#include <algorithm>
#include <cmath>
#include <limits>

#include "dynamics/orders.h"
#include "dynamics/solver.h"
#include "dynamics/tolerances.h"

namespace colvik::dynamics {
namespace {

constexpr int kMostRounds = 16;   // a hit may be handed on this often in a substep
constexpr int kInnerPasses = 12;  // over the points of one contact

}  // namespace

// When a gap that closes at `speed`, which grows by `gain` a second, is closed; infinite if never.
double time_to_close(double gap, double speed, double gain) {
  constexpr double kNever = std::numeric_limits<double>::infinity();
  if (gap <= 0) return speed > 0 ? 0 : kNever;
  const double inside = speed * speed + 2 * gain * gap;
  if (inside < 0) return kNever;
  const double both = speed + std::sqrt(inside);
  return both > 0 ? 2 * gap / both : kNever;
}

template <int D>
void Solver<D>::hits() {
  if (bouncing_.empty()) return;
  for (int round = 0; round < kMostRounds; ++round) {
    if (round == 0) find_coming();
    bool any = false;
    for (const std::uint32_t i : bouncing_)
      if (counts(contacts_[i]) && hit(contacts_[i], rows_[i])) any = true;
    if (!any) return;
    if (round == 0) strike_together();
  }
}

// When point k of a contact closes, from now and without other contacts, and how fast it does.
template <int D>
auto Solver<D>::closing(const Contact<D>& c, int k) const -> Closing {
  const Moving<D>& a = moving_[c.a];
  const Moving<D>& b = moving_[c.b];
  const Point& p = c.points[k];
  const double gain = c.normal.dot(bodies_[c.a].acceleration - bodies_[c.b].acceleration);
  const double speed = -c.normal.dot(relative_velocity(c, p));
  double gap = gap_now(c, p) + c.normal.dot(b.shift - a.shift);
  if (a.hit || b.hit)
    gap += c.normal.dot(cross(b.turn_shift, p.arm_b)) - c.normal.dot(cross(a.turn_shift, p.arm_a));
  const double time = time_to_close(gap, speed, gain);
  return {time, speed + gain * time};
}

// Whether a point closes within the substep, fast enough to bounce.
template <int D>
bool Solver<D>::bounces(const Closing& closing) const {
  return closing.time <= h_ && closing.speed > kBounceThreshold * settings_.metre;
}

// Lists the points that close within the substep fast enough to bounce.
template <int D>
void Solver<D>::find_coming() {
  coming_.clear();
  for (const std::uint32_t i : bouncing_) {
    const Contact<D>& c = contacts_[i];
    for (int k = 0; counts(c) && k < c.count; ++k)
      if (const Closing at = closing(c, k); bounces(at)) coming_.push_back({i, k, at});
  }
}

// A body that meets several things in one moment strikes them all, though the impulse of the first
// may leave nothing for the others.
template <int D>
void Solver<D>::strike_together() {
  constexpr double kNever = -1;
  struck_at_.resize(moving_.size(), kNever);
  for (const Coming& x : coming_) {
    const Contact<D>& c = contacts_[x.contact];
    for (const std::uint32_t body : {c.a, c.b})
      if (moving_[body].movable && c.points[x.point].total_push > 0) struck_at_[body] = x.at.time;
  }
  for (const Coming& x : coming_) {
    Contact<D>& c = contacts_[x.contact];
    Point& p = c.points[x.point];
    if (p.when >= 0 || p.total_push > 0) continue;
    const auto struck_then = [&](std::uint32_t body) {
      return struck_at_[body] >= 0 &&
             std::abs(struck_at_[body] - x.at.time) * x.at.speed <= kTogether * settings_.metre;
    };
    if (!struck_then(c.a) && !struck_then(c.b)) continue;
    p.when = time() + x.at.time;
    p.approach = std::max(p.approach, x.at.speed - approach_gain(c) * p.when);
  }
  for (const Coming& x : coming_)
    struck_at_[contacts_[x.contact].a] = struck_at_[contacts_[x.contact].b] = kNever;
}

// Bodies move on straight lines (gravity added along the normal) until the contact closes, take its
// impulse there, and go on with the new velocities. As the substep moves them from its beginning,
// the displacement that the new velocity has not made yet is stored as a shift.
template <int D>
bool Solver<D>::hit(Contact<D>& c, const Rows<D>& rows) {
  Moving<D>& a = moving_[c.a];
  Moving<D>& b = moving_[c.b];
  const double threshold = kBounceThreshold * settings_.metre;
  const double gain = c.normal.dot(bodies_[c.a].acceleration - bodies_[c.b].acceleration);
  std::array<double, contact::kMostPoints<D>> times{};
  double at = std::numeric_limits<double>::infinity();
  for (int k = 0; k < c.count; ++k) {
    const Closing point = closing(c, k);
    times[k] = point.time;
    if (bounces(point)) at = std::min(at, point.time);
  }
  if (at > h_) return false;

  std::array<double, contact::kMostPoints<D>> target{};
  std::array<bool, contact::kMostPoints<D>> takes{};
  const Vec<D> fallen = c.normal * (gain * at);  // of b against a until then
  for (int k = 0; k < c.count; ++k) {
    Point& p = c.points[k];
    const double speed = -c.normal.dot(relative_velocity(c, p)) + gain * at;
    takes[k] =
        speed > 0 && times[k] <= at + kTogether * settings_.metre / std::max(speed, threshold);
    if (!takes[k]) continue;
    target[k] = speed > threshold ? c.restitution * speed : 0;
    const double from_start = speed - approach_gain(c) * (time() + at);
    p.approach = p.when < 0 ? from_start : std::max(p.approach, from_start);
    if (p.when < 0) p.when = time() + at;
  }
  const Exchange<D> before(a, b);
  Exchange<D> now = before;
  const auto strike = [&](Exchange<D>& x, std::uint32_t k) {
    if (!takes[k]) return;
    const Point& p = c.points[k];
    const double speed = c.normal.dot(x.velocity(p) - fallen);
    const double pushed = x.push[k];
    x.push[k] = std::max(pushed - rows.points[k].mass * (speed - target[k]), 0.0);
    x.give(p, c.normal * (x.push[k] - pushed), a, b);
    if (c.friction == 0) return;
    const Vec<D> v = x.velocity(p) + c.surface;
    Vec<D> wanted = x.drag[k] - (v - c.normal * c.normal.dot(v)) * rows.points[k].across;
    const double most = c.friction * x.push[k];
    const double length = wanted.norm();
    if (length > most) wanted *= most / length;
    x.give(p, wanted - x.drag[k], a, b);
    x.drag[k] = wanted;
  };
  for (int pass = 0; pass < kInnerPasses; ++pass)
    sweep(static_cast<std::uint32_t>(c.count), true, now, strike);
  watch_hit(c.a);
  watch_hit(c.b);
  now.store(a, b);
  for (int k = 0; k < c.count; ++k) c.points[k].total_push += now.push[k];
  a.shift -= (a.velocity - before.velocity_a) * at;
  b.shift -= (b.velocity - before.velocity_b) * at;
  a.turn_shift -= (a.spin - before.spin_a) * at;
  b.turn_shift -= (b.spin - before.spin_b) * at;
  a.hit = a.hit || a.movable;
  b.hit = b.hit || b.movable;
  return true;
}

template auto Solver<2>::closing(const Contact<2>& c, int k) const -> Closing;
template bool Solver<2>::bounces(const Closing& closing) const;
template void Solver<2>::find_coming();
template auto Solver<3>::closing(const Contact<3>& c, int k) const -> Closing;
template bool Solver<3>::bounces(const Closing& closing) const;
template void Solver<3>::find_coming();
template void Solver<2>::strike_together();
template void Solver<3>::strike_together();
template void Solver<2>::hits();
template void Solver<3>::hits();
template bool Solver<2>::hit(Contact<2>& c, const Rows<2>& rows);
template bool Solver<3>::hit(Contact<3>& c, const Rows<3>& rows);

}  // namespace colvik::dynamics
