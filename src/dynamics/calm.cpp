// What is wedged in, such as a light body between two heavy ones, may be asked for what no motion does; passes then
// end with a speed that none of its contacts has.
#include <algorithm>

#include "dynamics/solver.h"
#include "dynamics/tolerances.h"

namespace colvik::dynamics {

// Bodies that contacts have made much faster than they and all that they touch were before: no faster than several
// times that. This takes energy, never adds any. Costs a look at each body; contacts are looked at where there is one.
template <int D>
void Solver<D>::calm() {
  const double metre = settings_.metre, few = kCalmTimes * kCalmTimes;
  wild_.clear();
  for (std::uint32_t i = 0; i < moving_.size(); ++i) {
    const Moving<D>& m = moving_[i];
    if (!m.pushed || m.inverse_mass.isZero(0)) continue;
    if (m.velocity.squaredNorm() > few * m.speed + kCalmSpeed * kCalmSpeed * metre * metre ||
        m.spin.squaredNorm() > few * m.spinning + kCalmSpin * kCalmSpin)
      wild_.push_back(i);
  }
  if (wild_.empty()) return;
  allowed_.assign(wild_.size(), 0.0), levers_.assign(wild_.size(), 0.0);
  const auto place = [&](std::uint32_t body) {
    const auto at = std::lower_bound(wild_.begin(), wild_.end(), body);
    return at != wild_.end() && *at == body ? static_cast<std::size_t>(at - wild_.begin()) : wild_.size();
  };
  const auto speed_before = [&](const Moving<D>& m, const Vec<D>& arm) {
    return std::sqrt(m.speed) + std::sqrt(m.spinning) * arm.norm();
  };
  for (Contact<D>& c : contacts_) {
    const std::size_t a = place(c.a), b = place(c.b);
    if (a == wild_.size() && b == wild_.size()) continue;
    for (const Point& p : points(c)) {
      const double fast = speed_before(moving_[c.a], p.arm_a) + speed_before(moving_[c.b], p.arm_b);
      if (a < wild_.size())
        allowed_[a] = std::max(allowed_[a], fast), levers_[a] = std::max(levers_[a], p.arm_a.norm());
      if (b < wild_.size())
        allowed_[b] = std::max(allowed_[b], fast), levers_[b] = std::max(levers_[b], p.arm_b.norm());
    }
  }
  for (std::size_t k = 0; k < wild_.size(); ++k) {
    Moving<D>& m = moving_[wild_[k]];
    const double most = kCalmTimes * allowed_[k] + kCalmSpeed * metre, now = m.velocity.norm();
    const double turning = m.spin.norm() * levers_[k];
    if (now > most) m.velocity *= most / now;
    if (turning > most) m.spin *= most / turning;
  }
}

template class Solver<2>;
template class Solver<3>;

}  // namespace colvik::dynamics
