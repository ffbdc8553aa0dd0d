#pragma once
// Orders in which the points of one contact are worked on, and what they exchange.
#include <array>
#include <cstdint>

#include "dynamics/moving.h"

namespace colvik::dynamics {

/// One sweep over the points of a contact, each point given what it needs after those before it
/// (Gauss-Seidel), favours the first: a box that lands flat would turn. The mean over these orders
/// does not: each is another by a symmetry of the points (a segment's, a triangle's, a rectangle's,
/// whose corners follow each other around it), so that equals are given equal impulses and mirrored
/// contacts mirrored ones. As energy is convex in the impulses, the mean adds none if no sweep
/// does.
struct Orders {
  const std::uint8_t* rows;
  std::uint32_t count;   // of orders, even for more than one point
  std::uint32_t points;  // of each

  [[nodiscard]] std::uint32_t at(std::uint32_t order, std::uint32_t k) const {
    return rows[order * points + k];
  }
};

inline Orders orders_of(std::uint32_t points) {
  static constexpr std::array<std::uint8_t, 2> kOne{0, 0};
  static constexpr std::array<std::uint8_t, 4> kTwo{0, 1, 1, 0};
  static constexpr std::array<std::uint8_t, 18> kThree{0, 1, 2, 2, 1, 0, 1, 2, 0,
                                                       0, 2, 1, 2, 0, 1, 1, 0, 2};
  static constexpr std::array<std::uint8_t, 16> kFour{0, 1, 2, 3, 3, 2, 1, 0,
                                                      2, 3, 0, 1, 1, 0, 3, 2};
  if (points == 4) return {kFour.data(), 4, 4};
  if (points == 3) return {kThree.data(), 6, 3};
  if (points == 2) return {kTwo.data(), 2, 2};
  return {kOne.data(), 2, 1};
}

/// The velocities of two bodies while a contact between them is worked on, and the impulses at its
/// points.
template <int D>
struct Exchange {
  static constexpr int kMost = contact::kMostPoints<D>;
  Vec<D> velocity_a;
  Vec<D> velocity_b;
  Spin<D> spin_a;
  Spin<D> spin_b;
  std::array<double, kMost> push{};
  std::array<Vec<D>, kMost> drag;

  Exchange(const Moving<D>& a, const Moving<D>& b)
      : velocity_a(a.velocity), velocity_b(b.velocity), spin_a(a.spin), spin_b(b.spin) {
    drag.fill(Vec<D>::Zero());
  }
  /// Of b against a, at a point.
  [[nodiscard]] Vec<D> velocity(const SolverPoint<D>& p) const {
    return velocity_b + cross(spin_b, p.arm_b) - velocity_a - cross(spin_a, p.arm_a);
  }
  /// Of b against a, at a point along the normal.
  [[nodiscard]] double normal_speed(const Contact<D>& c, const Row<D>& row) const {
    return c.normal.dot(velocity_b - velocity_a) + row.turn_b.dot(spin_b) - row.turn_a.dot(spin_a);
  }
  /// An impulse on b at a point, and its reverse on a.
  void give(const SolverPoint<D>& p, const Vec<D>& impulse, const Moving<D>& a,
            const Moving<D>& b) {
    velocity_a -= a.inverse_mass.cwiseProduct(impulse);
    spin_a -= a.inverse_inertia * torque(p.arm_a, impulse);
    velocity_b += b.inverse_mass.cwiseProduct(impulse);
    spin_b += b.inverse_inertia * torque(p.arm_b, impulse);
  }
  void add(const Exchange& other) {
    velocity_a += other.velocity_a;
    velocity_b += other.velocity_b;
    spin_a += other.spin_a;
    spin_b += other.spin_b;
    for (int k = 0; k < kMost; ++k) {
      push[k] += other.push[k];
      drag[k] += other.drag[k];
    }
  }
  void scale(double by) {
    velocity_a *= by;
    velocity_b *= by;
    spin_a *= by;
    spin_b *= by;
    for (double& x : push) x *= by;
    for (Vec<D>& x : drag) x *= by;
  }
  void store(Moving<D>& a, Moving<D>& b) const {
    a.velocity = velocity_a;
    b.velocity = velocity_b;
    a.spin = spin_a;
    b.spin = spin_b;
  }
};

/// One sweep of work(exchange, point) over so many points, or evenly the mean over all orders.
template <int D, class Work>
void sweep(std::uint32_t points, bool evenly, Exchange<D>& exchange, Work&& work) {
  const Orders orders = orders_of(points);
  const auto in_order = [&](Exchange<D>& x, std::uint32_t order) {
    for (std::uint32_t k = 0; k < points; ++k) work(x, orders.at(order, k));
  };
  if (!evenly || points == 1) return in_order(exchange, 0);
  Exchange<D> sum = exchange;
  for (std::uint32_t i = 0; i < orders.count; i += 2) {
    // In pairs, so that equals have equal sums to the bit.
    Exchange<D> first = exchange;
    Exchange<D> second = exchange;
    in_order(first, i);
    in_order(second, i + 1);
    first.add(second);
    if (i == 0) sum = first;
    else sum.add(first);
  }
  sum.scale(1.0 / orders.count);
  exchange = sum;
}

}  // namespace colvik::dynamics
