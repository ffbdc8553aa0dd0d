// Contacts take energy, or hand it on; they never make any. Where passes over the contacts of fast
// bodies end with more energy than these began the substep with, the rest is taken away again.
#include <algorithm>
#include <cmath>

#include "dynamics/solver.h"
#include "dynamics/tolerances.h"

namespace colvik::dynamics {

namespace {
constexpr double kGained = 1e-4;          // part of the energy that rounding may add
constexpr std::size_t kMostInGroup = 64;  // larger heaps are left alone
}  // namespace

template <int D>
bool Solver<D>::is_fast(const Vec<D>& velocity, const Spin<D>& spin) const {
  const double speed = kWatchFromSpeed * settings_.metre;
  return !(velocity.squaredNorm() <= speed * speed &&  // what is no number is fast, too
           spin.squaredNorm() <= kWatchFromSpin * kWatchFromSpin);
}

// Of its motion; of what is locked about an axis nothing is known.
template <int D>
double Solver<D>::energy(std::uint32_t body) const {
  const Body<D>& b = bodies_[body];
  const Moving<D>& m = moving_[body];
  double twice = 0;
  for (int i = 0; i < D; ++i)
    if (b.inverse_mass[i] > 0) twice += m.velocity[i] * m.velocity[i] / b.inverse_mass[i];
  if constexpr (D == 2) {
    if (m.turns != Turns::locked) twice += b.inertia(0, 0) * m.spin[0] * m.spin[0];
  } else {
    const Vec<3> own = b.rotation.inverse() * m.spin;
    if (m.turns != Turns::locked) twice += own.dot(b.inertia * own);
  }
  return twice / 2;
}

// Energies of the fast bodies, as the substep begins.
template <int D>
void Solver<D>::watch_energy() {
  watched_.clear();
  for (const std::uint32_t body : fast_) watch_energy(body, watched_);
}

template <int D>
void Solver<D>::watch_energy(std::uint32_t body, std::vector<Watched>& among) const {
  // With what forces may add within it.
  const Moving<D>& m = moving_[body];
  const double pace = m.velocity.norm();
  const double gained = m.gain.norm();
  const double light = bodies_[body].inverse_mass.maxCoeff();
  const double work = light > 0 ? (pace + gained) * gained / light : 0;
  among.push_back({body, energy(body) + work, m.velocity + m.gain});
}

// Of what is about to be hit, before that.
template <int D>
void Solver<D>::watch_hit(std::uint32_t body) {
  const Moving<D>& m = moving_[body];
  if (m.movable && !m.hit && watched(body) == nullptr) watch_energy(body, hit_);
}

template <int D>
auto Solver<D>::watched(std::uint32_t body) const -> const Watched* {
  const auto at = std::lower_bound(watched_.begin(), watched_.end(), body,
                                   [](const Watched& w, std::uint32_t i) { return w.body < i; });
  return at != watched_.end() && at->body == body ? &*at : nullptr;
}

template <int D>
double Solver<D>::energy_before(std::uint32_t body) const {
  if (const Watched* w = watched(body)) return w->energy;
  // It was slow, and was not hit: what it had before contacts acted.
  const Body<D>& b = bodies_[body];
  const Moving<D>& m = moving_[body];
  const double light = b.inverse_mass.maxCoeff();
  return (light > 0 ? static_cast<double>(m.speed) / light : 0) / 2 +
         b.inertia.diagonal().maxCoeff() * static_cast<double>(m.spinning) / 2;
}

// Those that a body may exchange impulses with, and those with them; false where energy may come
// from elsewhere: something that its owner moves, or a running surface.
template <int D>
bool Solver<D>::gather_group(std::uint32_t body) {
  group_.assign(1, body);
  const auto in_group = [&](std::uint32_t i) {
    return std::find(group_.begin(), group_.end(), i) != group_.end();
  };
  for (std::size_t before = 0; before != group_.size();) {
    before = group_.size();
    for (const Contact<D>& c : contacts_) {
      const bool has_a = in_group(c.a);
      const bool has_b = in_group(c.b);
      if (!has_a && !has_b) continue;
      if (!c.surface.isZero(0)) return false;
      for (const std::uint32_t other : {c.a, c.b}) {
        const Moving<D>& m = moving_[other];
        if (!m.movable && !(m.velocity.isZero(0) && m.spin.isZero(0))) return false;
        if (m.movable && !in_group(other)) group_.push_back(other);
      }
      if (group_.size() > kMostInGroup) return false;
    }
  }
  return true;
}

// Whether only forces changed its velocity.
template <int D>
bool Solver<D>::moves_freely(std::uint32_t body) const {
  const Moving<D>& m = moving_[body];
  const Watched* w = watched(body);
  return !m.pushed && !m.hit && w != nullptr &&
         (m.velocity - w->expected).norm() <= 1e-6 * w->expected.norm();
}

// Of what turned by so much in a substep that its new axis is not exact.
template <int D>
void Solver<D>::slow_turning(std::uint32_t body, double excess) {
  Moving<D>& m = moving_[body];
  const Spin<D> spin = m.spin;
  const double whole = energy(body);
  m.spin.setZero();
  const double turning = whole - energy(body);
  if (turning > 0) m.spin = spin * std::sqrt(std::max(0.0, 1 - excess / turning));
}

template <int D>
void Solver<D>::limit_energy(std::uint32_t body) {
  Moving<D>& m = moving_[body];
  if (m.turns == Turns::locked || !bodies_[body].torque.isZero(0)) return;
  const double now = energy(body);
  if (!std::isfinite(now)) {  // passes that did not converge
    m.velocity.setZero();
    m.spin.setZero();
    return;
  }
  const double first = energy_before(body);
  const double excess = now - first;
  if (excess <= first * kGained) return;
  if (moves_freely(body)) return slow_turning(body, excess);
  if (!gather_group(body)) return;
  double before = 0;
  double after = 0;
  double theirs = 0;  // of those that have more than before
  for (const std::uint32_t i : group_) {
    const double had = energy_before(i);
    const double has = energy(i);
    before += had;
    after += has;
    if (has > had) theirs += has;
  }
  if (after <= before * (1 + kGained)) return;
  const double part = std::sqrt(std::max(0.0, 1 - (after - before) / theirs));
  for (const std::uint32_t i : group_)
    if (energy(i) > energy_before(i)) {
      moving_[i].velocity *= part;
      moving_[i].spin *= part;
    }
}

// Before bodies move: none may go where only such an energy would bring it.
template <int D>
void Solver<D>::guard_motion() {
  if (fast_.empty() && hit_.empty()) return;
  if (!hit_.empty()) {
    watched_.insert(watched_.end(), hit_.begin(), hit_.end());
    hit_.clear();
    std::sort(watched_.begin(), watched_.end(),
              [](const Watched& x, const Watched& y) { return x.body < y.body; });
  }
  for (std::uint32_t i = 0; i < moving_.size(); ++i)
    if (const Moving<D>& m = moving_[i]; m.movable && is_fast(m.velocity, m.spin)) limit_energy(i);
}

template <int D>
void Solver<D>::guard_energy() {
  for (const std::uint32_t body : fast_) limit_energy(body);
  for (const std::uint32_t body : fast_) moving_[body].pushed = moving_[body].hit = false;
}

// Lists what is fast now, for this substep's end and the next one.
template <int D>
void Solver<D>::list_fast() {
  fast_.clear();
  for (Seen& seen : seen_) {
    fast_.insert(fast_.end(), seen.fast.begin(), seen.fast.end());
    seen.fast.clear();
  }
  std::sort(fast_.begin(), fast_.end());
}

template bool Solver<2>::is_fast(const Vec<2>& velocity, const Spin<2>& spin) const;
template bool Solver<3>::is_fast(const Vec<3>& velocity, const Spin<3>& spin) const;
template double Solver<2>::energy(std::uint32_t body) const;
template double Solver<3>::energy(std::uint32_t body) const;
template void Solver<2>::watch_energy();
template void Solver<3>::watch_energy();
template void Solver<2>::watch_energy(std::uint32_t body, std::vector<Watched>& among) const;
template void Solver<3>::watch_energy(std::uint32_t body, std::vector<Watched>& among) const;
template void Solver<2>::watch_hit(std::uint32_t body);
template void Solver<3>::watch_hit(std::uint32_t body);
template auto Solver<2>::watched(std::uint32_t body) const -> const Watched*;
template auto Solver<3>::watched(std::uint32_t body) const -> const Watched*;
template bool Solver<2>::moves_freely(std::uint32_t body) const;
template bool Solver<3>::moves_freely(std::uint32_t body) const;
template double Solver<2>::energy_before(std::uint32_t body) const;
template double Solver<3>::energy_before(std::uint32_t body) const;
template bool Solver<2>::gather_group(std::uint32_t body);
template bool Solver<3>::gather_group(std::uint32_t body);
template void Solver<2>::slow_turning(std::uint32_t body, double excess);
template void Solver<3>::slow_turning(std::uint32_t body, double excess);
template void Solver<2>::limit_energy(std::uint32_t body);
template void Solver<3>::limit_energy(std::uint32_t body);
template void Solver<2>::guard_motion();
template void Solver<3>::guard_motion();
template void Solver<2>::guard_energy();
template void Solver<3>::guard_energy();
template void Solver<2>::list_fast();
template void Solver<3>::list_fast();

}  // namespace colvik::dynamics
