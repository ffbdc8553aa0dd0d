// Clamps spurious energy. A wedged body, such as a light one between two heavy ones, may be
// required to do what no motion does; passes then end with a speed that none of its contacts has.
#include <algorithm>
#include <utility>

#include "dynamics/solver.h"
#include "dynamics/tolerances.h"

namespace colvik::dynamics {

// Bodies that contacts have made much faster than they were: no faster than what they touch may
// make them, which is as fast as it is itself, twice as fast where it is much heavier, and what a
// bounce keeps. This removes energy, never adds any. Visits each body; contacts are visited
// at where there is one.
template <int D>
void Solver<D>::clamp_energy() {
  const double metre = settings_.metre;
  seen_.resize(crew_.size());
  crew_.share(moving_.size(), kBodies,
              [&](std::size_t first, std::size_t last, std::size_t worker) {
                find_wild(first, last, worker);
              });
  wild_.clear();
  fastest_ = 0;
  for (Seen& seen : seen_) {
    fastest_ = std::max(fastest_, std::exchange(seen.fastest, 0));
    wild_.insert(wild_.end(), seen.wild.begin(), seen.wild.end());
    seen.wild.clear();
  }
  list_fast();
  guard_energy();
  if (wild_.empty()) return;
  std::sort(wild_.begin(), wild_.end());
  allowed_.assign(wild_.size(), {});
  const auto place = [&](std::uint32_t body) {
    const auto at = std::lower_bound(wild_.begin(), wild_.end(), body);
    return at != wild_.end() && *at == body ? static_cast<std::size_t>(at - wild_.begin())
                                            : wild_.size();
  };
  const auto speed_before = [&](const Moving<D>& m, const Vec<D>& arm) {
    return std::sqrt(static_cast<double>(m.speed)) +
           std::sqrt(static_cast<double>(m.spinning)) * arm.norm();
  };
  const auto allow = [&](std::size_t at, const Vec<D>& arm, const Moving<D>& by,
                         const Vec<D>& its_arm, double bounce) {
    if (at == wild_.size()) return;
    Allowed& allowed = allowed_[at];
    const Moving<D>& body = moving_[wild_[at]];
    const double own = speed_before(body, arm);
    const double its = speed_before(by, its_arm);
    const double light = body.inverse_mass.maxCoeff();
    const double heavy = by.inverse_mass.maxCoeff();
    const double share = kCalmTimes * light / (light + heavy);
    // A rod is hit at its end: there it is as light as a quarter of it.
    constexpr double kEnd = 4;
    const double at_end =
        std::max(share, std::min(1.0, kCalmTimes * kEnd * light / (kEnd * light + heavy)));
    allowed.speed = std::max(allowed.speed, bounce * own + at_end * its);
    allowed.lever = std::max(allowed.lever, arm.norm());
  };
  for (Contact<D>& c : contacts_) {
    const std::size_t a = place(c.a);
    const std::size_t b = place(c.b);
    if (a == wild_.size() && b == wild_.size()) continue;
    for (const Point& p : points(c)) {
      allow(a, p.arm_a, moving_[c.b], p.arm_b, c.restitution);
      allow(b, p.arm_b, moving_[c.a], p.arm_a, c.restitution);
    }
  }
  for (std::size_t k = 0; k < wild_.size(); ++k) {
    Moving<D>& m = moving_[wild_[k]];
    const Allowed& allowed = allowed_[k];
    // Of its own motion one kind may become the other, as far as its energy goes.
    const double least = m.inverse_inertia.diagonal().minCoeff();
    const double of_spin =
        least > 0 ? m.inverse_mass.maxCoeff() / least : 0;  // a radius of gyration, squared
    const double gain = of_spin > 0 ? allowed.lever * allowed.lever / of_spin : 0;
    const double own = std::sqrt(
        (static_cast<double>(m.speed) + static_cast<double>(m.spinning) * of_spin) * (1 + gain));
    const double limit = std::max({allowed.speed, own, kClampFromSpeed * metre});
    const double now = m.velocity.norm() + m.spin.norm() * allowed.lever;
    if (now > limit) {
      m.velocity *= limit / now;
      m.spin *= limit / now;
    }
  }
}

template <int D>
void Solver<D>::find_wild(std::size_t first, std::size_t last, std::size_t worker) {
  const double metre = settings_.metre;
  const double few = kCalmTimes * kCalmTimes;
  Seen& seen = seen_[worker];
  double fastest = seen.fastest;
  for (std::size_t i = first; i < last; ++i) {
    Moving<D>& m = moving_[i];
    const double speed = m.velocity.squaredNorm();
    fastest = std::max(fastest, speed);  // or less, once it is clamped
    if (m.pushed && !m.fixed &&
        (speed > few * static_cast<double>(m.speed) +
                     kClampFromSpeed * kClampFromSpeed * metre * metre ||
         m.spin.squaredNorm() >
             few * static_cast<double>(m.spinning) + kClampFromSpin * kClampFromSpin))
      seen.wild.push_back(static_cast<std::uint32_t>(i));
    // Of the fast ones that is still needed.
    if (m.movable && is_fast(m.velocity, m.spin))
      seen.fast.push_back(static_cast<std::uint32_t>(i));
    else m.pushed = m.hit = false;
  }
  seen.fastest = fastest;
}

template void Solver<2>::clamp_energy();
template void Solver<3>::clamp_energy();
template void Solver<2>::find_wild(std::size_t first, std::size_t last, std::size_t worker);
template void Solver<3>::find_wild(std::size_t first, std::size_t last, std::size_t worker);

}  // namespace colvik::dynamics
