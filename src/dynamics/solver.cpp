#include "dynamics/solver.h"

#include <Eigen/LU>

#include <algorithm>
#include <utility>

#include "dynamics/orders.h"
#include "dynamics/tolerances.h"
#include "math/fetch.h"

namespace colvik::dynamics {
namespace {

constexpr std::size_t kContacts = 512;  // visited in one go

}  // namespace

template <int D>
void Solver<D>::begin(std::span<Body<D>> bodies, const SolverSettings& settings) {
  bodies_ = bodies;
  settings_ = settings;
  substep_ = 0;
  h_ = settings.step / settings.substeps;
  const double omega = 2 * kPi * kStiffness / h_;
  const double c = h_ * omega * (2 * kDamping + h_ * omega);
  pass_ = {};
  pass_.removal = {h_, omega / (2 * kDamping + h_ * omega), kSlop * settings.metre,
                   kPushSpeed * settings.metre, kStrike * settings.metre};
  pass_.soft_mass = c / (1 + c);
  pass_.soft_leak = 1 / (1 + c);
  moving_.resize(bodies.size());
  if constexpr (D == 3) {
    principal_.resize(bodies.size());
    knows_principal_.assign(bodies.size(), 0);
  }
  crew_.share(bodies.size(), kBodies,
              [&](std::size_t first, std::size_t last, std::size_t) { begin(first, last); });
  fastest_ = 0;
  fast_.clear();
  for (std::uint32_t i = 0; i < bodies.size(); ++i) {
    fastest_ = std::max(fastest_, bodies[i].velocity.squaredNorm());
    if (moving_[i].movable && is_fast(bodies[i].velocity, bodies[i].spin)) fast_.push_back(i);
  }
  contacts_ = {};
  bouncing_.clear();
  whole_ = 0;
  for (Batch* batch : {&steady_, &late_, &quick_}) take(*batch, 0, 0);
}

template <int D>
void Solver<D>::begin(std::size_t first, std::size_t last) {
  for (std::size_t i = first; i < last; ++i) {
    const Body<D>& b = bodies_[i];
    Moving<D>& m = moving_[i];
    m.velocity = b.velocity;
    m.spin = b.spin;
    m.inverse_mass = b.inverse_mass;
    m.moved.setZero();
    m.turned.setZero();
    m.turning = 0;
    m.shift.setZero();
    m.turn_shift.setZero();
    m.pushed = m.hit = false;
    m.turns = turns_of(b);
    m.fixed = b.inverse_mass.isZero(0);
    m.movable = !m.fixed || !b.inverse_inertia.isZero(0);
    m.steady = !m.movable || (b.drag <= 0 && b.spin_drag <= 0 && b.torque.isZero(0));
    m.gain = m.movable ? Vec<D>(b.acceleration * h_) : Vec<D>(kZero);
    m.narrow_displacement();
    set_inertia(i);
  }
}

template <int D>
void Solver<D>::set(std::span<Contact<D>> contacts) {
  contacts_ = contacts;
  whole_ = contacts.size();
  measure(0, 0);
  direct_.find(moving_, listed_, contacts_);
  take(steady_, 0, whole_);
}

template <int D>
void Solver<D>::replace(std::span<Contact<D>> contacts, std::size_t fresh, std::size_t fast) {
  contacts_ = contacts;
  measure(whole_, fresh);
  take(late_, whole_, fast);
  take(quick_, fast, contacts_.size());
}

// Contacts from `first` on, of which those from `fresh` on are new. What was measured of these is
// the gap of this moment; gap_now adds what was moved since the step began.
template <int D>
void Solver<D>::measure(std::size_t first, std::size_t fresh) {
  listed_.resize(contacts_.size());
  crew_.share(contacts_.size() - first, kContacts,
              [&](std::size_t from, std::size_t to, std::size_t) {
                measure(first + from, first + to, fresh);
              });
  while (!bouncing_.empty() && bouncing_.back() >= first) bouncing_.pop_back();
  for (std::size_t i = first; i < contacts_.size(); ++i)
    if (!listed_[i].plain && contacts_[i].restitution > 0)
      bouncing_.push_back(static_cast<std::uint32_t>(i));
}

template <int D>
void Solver<D>::measure(std::size_t first, std::size_t last, std::size_t fresh) {
  for (std::size_t i = first; i < last; ++i) {
    constexpr std::size_t kFar = 12;
    constexpr std::size_t kAhead = 4;
    if (i + kFar < last)
      math::fetch(&contacts_[i + kFar], offsetof(Contact<D>, points) + sizeof(Point));
    if (i + kAhead < last)
      for (const std::uint32_t body : {contacts_[i + kAhead].a, contacts_[i + kAhead].b})
        math::fetch(&moving_[body], sizeof(Vec<D>) + sizeof(Spin<D>));
    Contact<D>& c = contacts_[i];
    listed_[i] = listed(c);
    const auto begins = [&](const Point& p) {
      return p.push == 0 && p.gap > -kDeep * settings_.metre;
    };
    if (i >= fresh && std::all_of(points(c).begin(), points(c).end(), begins)) c.even = kEvenSteps;
    for (Point& p : points(c)) {
      if (i >= fresh) {
        const double gap = std::exchange(p.gap, 0);
        p.total_push = p.approach = 0;
        p.when = -1;
        p.gap = substep_ > 0 ? gap - gap_now(c, p) : gap;
      }
      if (c.friction > 0) p.drag -= c.normal * c.normal.dot(p.drag);
      else p.drag.setZero();
      p.approach =
          std::max(p.approach, -c.normal.dot(relative_velocity(c, p)) - approach_gain(c) * time());
    }
  }
}

template <int D>
void Solver<D>::take(Batch& batch, std::size_t first, std::size_t end) {
  batch.simd.take(crew_, moving_, contacts_, listed_, first, end);
  batch.alone.clear();
  if (rows_.size() < contacts_.size())
    rows_.resize(contacts_.size());  // most are not in use, and none needs clearing
  for (std::size_t i = first; i < end; ++i)
    if (listed_[i].worked != Worked::simd) {
      batch.alone.push_back(static_cast<std::uint32_t>(i));
      prepare(i);
    }
}

// Masses of a contact.
template <int D>
void Solver<D>::prepare(std::size_t contact) {
  const Contact<D>& c = contacts_[contact];
  Rows<D>& rows = rows_[contact];
  const Moving<D>& a = moving_[c.a];
  const Moving<D>& b = moving_[c.b];
  const Vec<D> easy = a.inverse_mass + b.inverse_mass;
  for (int k = 0; k < c.count; ++k) {
    const Point& p = c.points[k];
    Row<D>& row = rows.points[k];
    const auto give = [&](const Vec<D>& u,
                          const Vec<D>& v) {  // how much velocity along v an impulse along u gives
      return u.dot(easy.cwiseProduct(v)) +
             torque(p.arm_a, u).dot(a.inverse_inertia * torque(p.arm_a, v)) +
             torque(p.arm_b, u).dot(b.inverse_inertia * torque(p.arm_b, v));
    };
    row.turn_a = torque(p.arm_a, c.normal);
    row.turn_b = torque(p.arm_b, c.normal);
    const double along = give(c.normal, c.normal);
    row.mass = along > 0 ? 1 / along : 0;
    // Of the tangents the one along which an impulse moves them most: with its mass no step is too
    // long, and friction acts straight against the direction of sliding.
    const std::array<Vec<D>, D - 1> t = tangents(c.normal);
    double across = give(t[0], t[0]);
    if constexpr (D == 3) {
      const double other = give(t[1], t[1]);
      const double mixed = give(t[0], t[1]);
      const double half = (across - other) / 2;
      across = (across + other) / 2 + std::sqrt(half * half + mixed * mixed);
    }
    row.across = across > 0 ? 1 / across : 0;
  }
  if (c.rolling > 0) {
    const Inertia<D> both = a.inverse_inertia + b.inverse_inertia;
    rows.turning = both.trace() > 0 && both.determinant() > 0 ? Inertia<D>(both.inverse())
                                                              : Inertia<D>(Inertia<D>::Zero());
  }
}

template <int D>
void Solver<D>::substep() {
  pass_.time = time();
  watch_energy();
  hits();
  accelerate();
  for (Batch* batch : {&steady_, &late_, &quick_}) {
    batch->simd.warm_start(crew_, moving_);
    for (const std::uint32_t i : batch->alone)
      if (counts(contacts_[i])) warm_start(contacts_[i]);
  }
  if (!direct_.empty()) direct_.solve(moving_, contacts_, rows_, pass_.removal, true);
  push(true);
  guard_motion();
  move();
  if (!direct_.empty()) direct_.solve(moving_, contacts_, rows_, pass_.removal, false);
  push(false);
  clamp_energy();
  for (const Batch* batch : {&steady_, &late_, &quick_})
    for (const std::uint32_t i : batch->alone)
      for (Point& p : points(contacts_[i])) {
        p.total_push += p.push;
        if (!p.struck) continue;
        p.push = 0;
        p.struck = false;
        p.drag.setZero();
      }
  late_.simd.give_back(crew_, contacts_);
  quick_.simd.give_back(crew_, contacts_);
  ++substep_;
}

template <int D>
void Solver<D>::end() {
  for (std::size_t i = 0; i < bodies_.size(); ++i) {
    bodies_[i].velocity = moving_[i].velocity;
    bodies_[i].spin = moving_[i].spin;
  }
  steady_.simd.give_back(crew_, contacts_);
}

template <int D>
void Solver<D>::warm_start(Contact<D>& c) {
  Vec<D> sum = Vec<D>::Zero();
  Spin<D> turn_a = Spin<D>::Zero();
  Spin<D> turn_b = Spin<D>::Zero();
  bool any = c.rolling > 0;
  for (Point& p : points(c)) {
    if (p.push > 0) {
      const Vec<D> impulse = c.normal * p.push + p.drag;
      sum += impulse;
      turn_a += torque(p.arm_a, impulse);
      turn_b += torque(p.arm_b, impulse);
      any = true;
    } else {
      p.drag.setZero();
    }
  }
  if (!any) return;
  Moving<D>& a = moving_[c.a];
  Moving<D>& b = moving_[c.b];
  if (c.rolling > 0) {
    turn_a += c.roll;
    turn_b += c.roll;
  }
  a.velocity -= a.inverse_mass.cwiseProduct(sum);
  a.spin -= a.inverse_inertia * turn_a;
  b.velocity += b.inverse_mass.cwiseProduct(sum);
  b.spin += b.inverse_inertia * turn_b;
}

// One pass over all contacts, and more over those that are fast.
template <int D>
void Solver<D>::push(bool separate) {
  pass_.separate = separate;
  const auto push = [&](Batch& batch, bool last) {
    pass_.last = last && !separate;
    batch.simd.push(crew_, moving_, pass_, false);
    for (const std::uint32_t i : batch.alone)
      if (counts(contacts_[i])) push_contact(contacts_[i], rows_[i], listed_[i].worked, pass_);
    batch.simd.push(crew_, moving_, pass_, true);
  };
  push(steady_, true);
  push(late_, true);
  for (int pass = 1; pass <= kFastPasses; ++pass) push(quick_, pass == kFastPasses);
}

// Seconds into a substep at which a point first pushes. In the pass after the bodies have moved, or
// where another contact has stopped them, it closes by the end.
template <int D>
double Solver<D>::first_push_after(double gap, double speed, bool separate) const {
  if (!separate || (gap > 0 && speed >= 0)) return h_;
  return gap <= 0 ? 0 : std::min(gap / -speed, h_);
}

// What the push of a point becomes that is so far open and opens at so much.
template <int D>
double Solver<D>::pushed(const Row<D>& row, double gap, double speed, double before, Worked worked,
                         const Pass& pass) {
  if (!pass.separate && gap > 0 && before == 0)
    return 0;  // what has not closed yet is the next substep's
  double bias = 0;
  double mass_scale = 1;
  double leak = 0;
  if (gap > 0 || pass.separate) bias = pass.removal.speed(gap);
  if (worked == Worked::directly && pass.separate) {
    mass_scale = 1 / (1 + kGive);
    leak = kGive / (1 + kGive);
  } else if (pass.separate && gap <= 0) {
    mass_scale = pass.soft_mass;
    leak = pass.soft_leak;
  }
  return std::max(before - row.mass * mass_scale * (speed + bias) - leak * before, 0.0);
}

template <int D>
void Solver<D>::push_contact(Contact<D>& c, const Rows<D>& rows, Worked worked, const Pass& pass) {
  Moving<D>& a = moving_[c.a];
  Moving<D>& b = moving_[c.b];
  Exchange<D> now(a, b);
  std::array<double, contact::kMostPoints<D>> gap{};
  std::array<double, contact::kMostPoints<D>> speed{};  // before the point is worked on
  for (int k = 0; k < c.count; ++k) {
    // A body that was hit in this substep has travelled with the old velocity for a part of it.
    gap[k] = gap_within(c, c.points[k], rows.points[k], a, b);
    if (c.even > 0) speed[k] = now.normal_speed(c, rows.points[k]);
    now.push[k] = c.points[k].push;
    now.drag[k] = c.points[k].drag;
  }
  const auto push = [&](Exchange<D>& x, std::uint32_t k) {
    const Row<D>& row = rows.points[k];
    const double opens = x.normal_speed(c, row);
    if (c.even == 0) speed[k] = opens;
    const double before =
        std::exchange(x.push[k], pushed(row, gap[k], opens, x.push[k], worked, pass));
    if (x.push[k] != before) x.give(c.points[k], c.normal * (x.push[k] - before), a, b);
  };
  const auto drag = [&](Exchange<D>& x, std::uint32_t k) {
    const double most = c.friction * x.push[k];
    if (most == 0 && x.drag[k].isZero(0)) return;
    const Vec<D> v = x.velocity(c.points[k]) + c.surface;
    Vec<D> wanted = x.drag[k] - (v - c.normal * c.normal.dot(v)) * rows.points[k].across;
    const double length = wanted.squaredNorm();
    if (length > most * most) wanted *= most / std::sqrt(length);
    x.give(c.points[k], wanted - x.drag[k], a, b);
    x.drag[k] = wanted;
  };
  const auto count = static_cast<std::uint32_t>(c.count);
  sweep(count, c.even > 0, now, push);
  if (c.friction > 0) sweep(count, c.even > 0, now, drag);
  bool acts = false;
  for (int k = 0; k < c.count; ++k) {
    Point& p = c.points[k];
    if (p.push == 0 && now.push[k] > 0 && speed[k] < -pass.removal.strike) p.struck = true;
    p.push = now.push[k];
    p.drag = now.drag[k];
    if (p.push == 0) continue;
    acts = true;
    if (p.when < 0) p.when = pass.time + first_push_after(gap[k], speed[k], pass.separate);
  }
  if (pass.separate && acts) {
    a.pushed = a.pushed || a.movable;
    b.pushed = b.pushed || b.movable;
  }
  now.store(a, b);
  if (c.rolling > 0) resist_turning(c, rows);
}

template <int D>
void Solver<D>::resist_turning(Contact<D>& c, const Rows<D>& rows) {
  Moving<D>& a = moving_[c.a];
  Moving<D>& b = moving_[c.b];
  double push = 0;
  for (const Point& p : points(c)) push += p.push;
  Spin<D> wanted = c.roll - rows.turning * (b.spin - a.spin);
  const double most = c.rolling * push;
  const double length = wanted.norm();
  if (length > most) wanted *= most / length;
  const Spin<D> change = wanted - c.roll;
  c.roll = wanted;
  a.spin -= a.inverse_inertia * change;
  b.spin += b.inverse_inertia * change;
}

template <int D>
Vec<D> Solver<D>::relative_velocity(const Contact<D>& c, const Point& p) const {
  const Moving<D>& a = moving_[c.a];
  const Moving<D>& b = moving_[c.b];
  return b.velocity + cross(b.spin, p.arm_b) - a.velocity - cross(a.spin, p.arm_a);
}

template <int D>
double Solver<D>::gap_now(const Contact<D>& c, const Point& p) const {
  const Moving<D>& a = moving_[c.a];
  const Moving<D>& b = moving_[c.b];
  // To first order in the turns: what rolls keeps its gap.
  return p.gap +
         c.normal.dot(b.moved + cross(b.turned, p.arm_b) - a.moved - cross(a.turned, p.arm_a));
}

template void Solver<2>::begin(std::span<Body<2>> bodies, const SolverSettings& settings);
template void Solver<3>::begin(std::span<Body<3>> bodies, const SolverSettings& settings);
template void Solver<2>::begin(std::size_t first, std::size_t last);
template void Solver<3>::begin(std::size_t first, std::size_t last);
template void Solver<2>::set(std::span<Contact<2>> contacts);
template void Solver<3>::set(std::span<Contact<3>> contacts);
template void Solver<2>::replace(std::span<Contact<2>> contacts, std::size_t fresh,
                                 std::size_t fast);
template void Solver<3>::replace(std::span<Contact<3>> contacts, std::size_t fresh,
                                 std::size_t fast);
template void Solver<2>::measure(std::size_t first, std::size_t fresh);
template void Solver<3>::measure(std::size_t first, std::size_t fresh);
template void Solver<2>::measure(std::size_t first, std::size_t last, std::size_t fresh);
template void Solver<3>::measure(std::size_t first, std::size_t last, std::size_t fresh);
template void Solver<2>::take(Batch& batch, std::size_t first, std::size_t end);
template void Solver<3>::take(Batch& batch, std::size_t first, std::size_t end);
template void Solver<2>::prepare(std::size_t contact);
template void Solver<3>::prepare(std::size_t contact);
template void Solver<2>::substep();
template void Solver<3>::substep();
template void Solver<2>::end();
template void Solver<3>::end();
template void Solver<2>::warm_start(Contact<2>& c);
template void Solver<3>::warm_start(Contact<3>& c);
template void Solver<2>::push(bool separate);
template void Solver<3>::push(bool separate);
template double Solver<2>::pushed(const Row<2>& row, double gap, double speed, double before,
                                  Worked worked, const Pass& pass);
template double Solver<3>::pushed(const Row<3>& row, double gap, double speed, double before,
                                  Worked worked, const Pass& pass);
template void Solver<2>::push_contact(Contact<2>& c, const Rows<2>& rows, Worked worked,
                                      const Pass& pass);
template void Solver<3>::push_contact(Contact<3>& c, const Rows<3>& rows, Worked worked,
                                      const Pass& pass);
template void Solver<2>::resist_turning(Contact<2>& c, const Rows<2>& rows);
template void Solver<3>::resist_turning(Contact<3>& c, const Rows<3>& rows);
template Vec<2> Solver<2>::relative_velocity(const Contact<2>& c, const Point& p) const;
template Vec<3> Solver<3>::relative_velocity(const Contact<3>& c, const Point& p) const;
template double Solver<2>::gap_now(const Contact<2>& c, const Point& p) const;
template double Solver<3>::gap_now(const Contact<3>& c, const Point& p) const;

}  // namespace colvik::dynamics
