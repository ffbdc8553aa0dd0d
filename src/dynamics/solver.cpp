#include "dynamics/solver.h"

#include <algorithm>

namespace colvik::dynamics {
namespace {

// Tolerances in metres and seconds.
constexpr double kSlop = 0.002;           // overlap that is left alone, so that contacts persist
constexpr double kPushSpeed = 3;          // fastest removal of overlap, per second
constexpr double kBounceThreshold = 0.5;  // slower hits do not bounce
constexpr double kDamping = 10;           // damping ratio of the spring that removes overlap
constexpr double kStiffness = 0.25;       // its frequency as a part of the substep rate

template <int D>
struct Tangents {
  std::array<Vec<D>, D - 1> axis;
};
Tangents<2> tangents(const Vec<2>& n) { return {{Vec<2>(-n.y(), n.x())}}; }
Tangents<3> tangents(const Vec<3>& n) {
  // Crossing with the axis least along n is never degenerate.
  int least = 0;
  n.cwiseAbs().minCoeff(&least);
  const Vec<3> u = cross(n, Vec<3>::Unit(least)).normalized();
  return {{u, cross(n, u)}};
}

template <int D>
Inertia<D> turned(const Inertia<D>& local, const Rotation<D>& r) {
  if constexpr (D == 2) {
    return local;
  } else {
    Inertia<3> m;
    for (int i = 0; i < 3; ++i) m.col(i) = r.axis(i);
    return m * local * m.transpose();
  }
}

// A body while it is being solved.
template <int D>
struct Work {
  Inertia<D> inverse_inertia;     // in the world's frame
  Vec<D> moved = Vec<D>::Zero();  // since the step began
  Rotation<D> turned_by;          // likewise
  bool in_contact = false;
};

template <int D>
class Step {
 public:
  Step(std::span<Body<D>> bodies, std::span<Contact<D>> contacts, const SolverSettings& s)
      : bodies_(bodies),
        contacts_(contacts),
        work_(bodies.size()),
        metre_(s.metre),
        substeps_(s.substeps),
        h_(s.step / s.substeps) {
    const double omega = 2 * kPi * kStiffness / h_;
    const double c = h_ * omega * (2 * kDamping + h_ * omega);
    bias_rate_ = omega / (2 * kDamping + h_ * omega);
    soft_mass_ = c / (1 + c);
    soft_leak_ = 1 / (1 + c);
  }

  void run() {
    prepare();
    for (int k = 0; k < substeps_; ++k) {
      accelerate();
      warm_start();
      push(true);
      move();
      push(false);
      for (Contact<D>& c : contacts_)
        for (Point& p : points(c)) p.total_push += p.push;
    }
    bounce();
    for (Contact<D>& c : contacts_)
      for (Point& p : points(c)) p.gap_after = current_gap(c, p);
  }

 private:
  using Point = SolverPoint<D>;

  void prepare() {
    for (std::size_t i = 0; i < bodies_.size(); ++i)
      work_[i].inverse_inertia = turned(bodies_[i].inverse_inertia, bodies_[i].rotation);
    for (Contact<D>& c : contacts_) {
      work_[c.a].in_contact = work_[c.b].in_contact = true;
      for (Point& p : points(c)) {
        p.approach = -c.normal.dot(relative_velocity(c, p));
        p.total_push = 0;
      }
    }
  }

  // In free flight the parabola is followed exactly: see move().
  void accelerate() {
    for (Body<D>& b : bodies_)
      if (b.inverse_mass > 0) b.velocity += b.acceleration * h_;
  }

  void warm_start() {
    for (Contact<D>& c : contacts_) {
      const Tangents<D> t = tangents(c.normal);
      for (Point& p : points(c)) {
        Vec<D> impulse = c.normal * p.push;
        for (std::size_t i = 0; i < D - 1; ++i) impulse += t.axis[i] * p.drag[i];
        apply(c, p, impulse);
      }
    }
  }

  // One pass over all contacts. With `separate` overlap is pushed apart and contacts that are still
  // open may close; without it only velocity is corrected.
  void push(bool separate) {
    for (Contact<D>& c : contacts_) {
      const Tangents<D> t = tangents(c.normal);
      for (Point& p : points(c)) {
        const double gap = current_gap(c, p);
        double bias = 0, mass_scale = 1, leak = 0;
        if (gap > 0) {
          bias = gap / h_;
        } else if (separate) {
          bias = std::max(bias_rate_ * std::min(gap + kSlop * metre_, 0.0), -kPushSpeed * metre_);
          mass_scale = soft_mass_, leak = soft_leak_;
        }
        const double speed = c.normal.dot(relative_velocity(c, p));
        const double change = -mass(c, p, c.normal) * mass_scale * (speed + bias) - leak * p.push;
        const double before = p.push;
        p.push = std::max(before + change, 0.0);
        apply(c, p, c.normal * (p.push - before));
      }
      for (Point& p : points(c)) {
        const Vec<D> v = relative_velocity(c, p);
        auto wanted = p.drag;
        for (std::size_t i = 0; i < D - 1; ++i) wanted[i] -= mass(c, p, t.axis[i]) * t.axis[i].dot(v);
        const double most = c.friction * p.push, length = wanted.norm();
        if (length > most) wanted *= most / length;
        Vec<D> impulse = Vec<D>::Zero();
        for (std::size_t i = 0; i < D - 1; ++i) impulse += t.axis[i] * (wanted[i] - p.drag[i]);
        p.drag = wanted;
        apply(c, p, impulse);
      }
    }
  }

  void move() {
    for (std::size_t i = 0; i < bodies_.size(); ++i) {
      Body<D>& b = bodies_[i];
      Vec<D> by = b.velocity * h_;
      if (b.inverse_mass > 0 && !work_[i].in_contact) by -= b.acceleration * (0.5 * h_ * h_);
      work_[i].moved += by;
      b.centre += by;
      if (b.spin.isZero(0)) continue;
      const Rotation<D> turn = Rotation<D>::from_spin(b.spin * h_);
      work_[i].turned_by = turn * work_[i].turned_by;
      b.rotation = turn * b.rotation;
      b.rotation.normalize();
      if constexpr (D == 3) work_[i].inverse_inertia = turned(b.inverse_inertia, b.rotation);
    }
  }

  void bounce() {
    for (Contact<D>& c : contacts_) {
      if (c.restitution == 0) continue;
      for (Point& p : points(c)) {
        if (p.approach < kBounceThreshold * metre_ || p.total_push <= 0) continue;
        const double speed = c.normal.dot(relative_velocity(c, p));
        // Not kept in p.push: the next step must not start from the impulse of a bounce.
        const double change = std::max(-mass(c, p, c.normal) * (speed - c.restitution * p.approach), 0.0);
        p.total_push += change;
        apply(c, p, c.normal * change);
      }
    }
  }

  std::span<Point> points(Contact<D>& c) { return {c.points.data(), static_cast<std::size_t>(c.count)}; }

  Vec<D> relative_velocity(const Contact<D>& c, const Point& p) const {
    const Body<D>&a = bodies_[c.a], &b = bodies_[c.b];
    return b.velocity + cross(b.spin, p.arm_b) - a.velocity - cross(a.spin, p.arm_a);
  }

  double current_gap(const Contact<D>& c, const Point& p) const {
    const Work<D>&a = work_[c.a], &b = work_[c.b];
    const Vec<D> moved_a = a.moved + a.turned_by * p.arm_a - p.arm_a;
    const Vec<D> moved_b = b.moved + b.turned_by * p.arm_b - p.arm_b;
    return p.gap + c.normal.dot(moved_b - moved_a);
  }

  // Effective mass of the pair at the point along a direction.
  double mass(const Contact<D>& c, const Point& p, const Vec<D>& direction) const {
    const Spin<D> ta = torque(p.arm_a, direction), tb = torque(p.arm_b, direction);
    const double k = bodies_[c.a].inverse_mass + bodies_[c.b].inverse_mass + ta.dot(work_[c.a].inverse_inertia * ta) +
                     tb.dot(work_[c.b].inverse_inertia * tb);
    return k > 0 ? 1 / k : 0;
  }

  void apply(const Contact<D>& c, const Point& p, const Vec<D>& impulse) {
    Body<D>&a = bodies_[c.a], &b = bodies_[c.b];
    a.velocity -= impulse * a.inverse_mass;
    a.spin -= work_[c.a].inverse_inertia * torque(p.arm_a, impulse);
    b.velocity += impulse * b.inverse_mass;
    b.spin += work_[c.b].inverse_inertia * torque(p.arm_b, impulse);
  }

  std::span<Body<D>> bodies_;
  std::span<Contact<D>> contacts_;
  std::vector<Work<D>> work_;
  double metre_;
  int substeps_;
  double h_;
  double bias_rate_ = 0, soft_mass_ = 1, soft_leak_ = 0;
};

}  // namespace

template <int D>
void solve(std::span<Body<D>> bodies, std::span<Contact<D>> contacts, const SolverSettings& settings) {
  Step<D>(bodies, contacts, settings).run();
}

template void solve(std::span<Body<2>>, std::span<Contact<2>>, const SolverSettings&);
template void solve(std::span<Body<3>>, std::span<Contact<3>>, const SolverSettings&);

}  // namespace colvik::dynamics
