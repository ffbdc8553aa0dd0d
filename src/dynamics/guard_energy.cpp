// Contacts take energy, or hand it on; they never make any. Where passes over the contacts of fast
// bodies end with more energy than these began the substep with, the rest is taken away again.
#include <algorithm>
#include <cmath>
#include <utility>

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
  know_watched();
  neighbours_.first.clear();
}

template <int D>
void Solver<D>::watch_energy(std::uint32_t body, std::vector<Watched>& among) const {
  // With what forces may add within it.
  const Moving<D>& m = moving_[body];
  const double pace = m.velocity.norm();
  const double gained = m.gain.norm();
  const double light = bodies_[body].inverse_mass.maxCoeff();
  const double work = light > 0 ? (pace + gained) * gained / light : 0;
  among.push_back({body, energy(body) + work, m.velocity + m.gain,
                   (pace + gained) * (pace + gained), m.spin.squaredNorm()});
}

// Of what is about to be hit, before that.
template <int D>
void Solver<D>::watch_hit(std::uint32_t body) {
  const Moving<D>& m = moving_[body];
  if (m.movable && !m.hit && watched(body) == nullptr) watch_energy(body, hit_);
}

// A place that does not lead back to its body is an old one.
template <int D>
void Solver<D>::know_watched() {
  watched_at_.resize(moving_.size());
  for (std::uint32_t k = 0; k < watched_.size(); ++k) watched_at_[watched_[k].body] = k;
}

template <int D>
auto Solver<D>::watched(std::uint32_t body) const -> const Watched* {
  const std::uint32_t at = watched_at_[body];
  return at < watched_.size() && watched_[at].body == body ? &watched_[at] : nullptr;
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

// Contacts by body, for this substep.
template <int D>
void Solver<D>::know_neighbours() {
  neighbours_.first.assign(moving_.size() + 1, 0);
  for (const Contact<D>& c : contacts_)
    for (const std::uint32_t body : {c.a, c.b}) ++neighbours_.first[body];
  std::uint32_t sum = 0;
  for (std::uint32_t& first : neighbours_.first) first = std::exchange(sum, sum + first);
  neighbours_.contacts.resize(2 * contacts_.size());
  for (std::uint32_t i = 0; i < contacts_.size(); ++i)
    for (const std::uint32_t body : {contacts_[i].a, contacts_[i].b})
      neighbours_.contacts[neighbours_.first[body]++] = i;
  for (std::size_t body = moving_.size(); body > 0; --body)  // which the ends moved on
    neighbours_.first[body] = neighbours_.first[body - 1];
  neighbours_.first[0] = 0;
  neighbours_.known.assign(moving_.size(), Judged::not_yet);
}

// Those that a body may exchange impulses with, and those with them; false where energy may come
// from elsewhere (something that its owner moves, or a running surface), or where that group was
// judged before. Cost: that of the group, once.
template <int D>
bool Solver<D>::gather_group(std::uint32_t body, Judged pass) {
  if (neighbours_.first.empty()) know_neighbours();
  const auto is_known = [&](std::uint32_t i) {
    return neighbours_.known[i] == Judged::excused || neighbours_.known[i] == pass;
  };
  if (is_known(body)) return false;
  group_.assign(1, body);
  neighbours_.known[body] = pass;
  const auto add_all_at = [&](std::uint32_t at) {
    for (std::uint32_t k = neighbours_.first[at]; k < neighbours_.first[at + 1]; ++k) {
      const Contact<D>& c = contacts_[neighbours_.contacts[k]];
      const std::uint32_t other = c.a == at ? c.b : c.a;
      const Moving<D>& m = moving_[other];
      if (!c.surface.isZero(0)) return false;
      if (!m.movable && !(m.velocity.isZero(0) && m.spin.isZero(0))) return false;
      if (!m.movable || neighbours_.known[other] == pass) continue;
      if (neighbours_.known[other] == Judged::excused || group_.size() == kMostInGroup)
        return false;
      neighbours_.known[other] = pass;
      group_.push_back(other);
    }
    return true;
  };
  std::size_t visited = 0;  // of a group that grows meanwhile
  while (visited < group_.size())
    if (!add_all_at(group_[visited++])) {  // so it is for all of them
      for (const std::uint32_t member : group_) neighbours_.known[member] = Judged::excused;
      return false;
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

// In 2D, where inertia is the same whichever way a body is turned, that settles it.
template <int D>
bool Solver<D>::is_no_faster(std::uint32_t body) const {
  const Moving<D>& m = moving_[body];
  const Watched* w = watched(body);
  return w != nullptr && m.velocity.squaredNorm() <= w->speed && m.spin.squaredNorm() <= w->spin;
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
void Solver<D>::limit_energy(std::uint32_t body, Judged pass) {
  Moving<D>& m = moving_[body];
  if (m.turns == Turns::locked || !bodies_[body].torque.isZero(0)) return;
  if (D == 2 && is_no_faster(body)) return;
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
  if (!gather_group(body, pass)) return;
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
  watched_.insert(watched_.end(), hit_.begin(), hit_.end());
  hit_.clear();
  know_watched();
  for (std::uint32_t i = 0; i < moving_.size(); ++i)
    if (const Moving<D>& m = moving_[i]; m.movable && is_fast(m.velocity, m.spin))
      limit_energy(i, Judged::before_moving);
}

template <int D>
void Solver<D>::guard_energy() {
  for (const std::uint32_t body : fast_) limit_energy(body, Judged::at_the_end);
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
  if (!std::is_sorted(fast_.begin(), fast_.end())) std::sort(fast_.begin(), fast_.end());
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
template void Solver<2>::know_watched();
template void Solver<3>::know_watched();
template auto Solver<2>::watched(std::uint32_t body) const -> const Watched*;
template auto Solver<3>::watched(std::uint32_t body) const -> const Watched*;
template bool Solver<2>::is_no_faster(std::uint32_t body) const;
template bool Solver<3>::is_no_faster(std::uint32_t body) const;
template bool Solver<2>::moves_freely(std::uint32_t body) const;
template bool Solver<3>::moves_freely(std::uint32_t body) const;
template double Solver<2>::energy_before(std::uint32_t body) const;
template double Solver<3>::energy_before(std::uint32_t body) const;
template void Solver<2>::know_neighbours();
template void Solver<3>::know_neighbours();
template bool Solver<2>::gather_group(std::uint32_t body, Judged pass);
template bool Solver<3>::gather_group(std::uint32_t body, Judged pass);
template void Solver<2>::slow_turning(std::uint32_t body, double excess);
template void Solver<3>::slow_turning(std::uint32_t body, double excess);
template void Solver<2>::limit_energy(std::uint32_t body, Judged pass);
template void Solver<3>::limit_energy(std::uint32_t body, Judged pass);
template void Solver<2>::guard_motion();
template void Solver<3>::guard_motion();
template void Solver<2>::guard_energy();
template void Solver<3>::guard_energy();
template void Solver<2>::list_fast();
template void Solver<3>::list_fast();

}  // namespace colvik::dynamics
