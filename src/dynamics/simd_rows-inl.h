// The points of a batch of contacts: what they need, one after the other or evenly. Included once
// for each instruction set, as Highway requires.
#if defined(COLVIK_SIMD_ROWS) == defined(HWY_TARGET_TOGGLE)
#ifdef COLVIK_SIMD_ROWS
#undef COLVIK_SIMD_ROWS
#else
#define COLVIK_SIMD_ROWS
#endif

#include "dynamics/orders.h"
#include "dynamics/simd_bodies-inl.h"

HWY_BEFORE_NAMESPACE();
namespace colvik::dynamics::HWY_NAMESPACE {

// What a push of one at a point does, and how far it is open.
template <int D>
struct NormalRow {
  static constexpr int T = kTurns<D>;
  Lanes turn_a[T];
  Lanes turn_b[T];
  Lanes spun_a[T];
  Lanes spun_b[T];
  Lanes gap;

  HWY_INLINE void of(const SimdContact<D>& c, const SimdPoint<D>& p, const Bodies<D>& a,
                     const Bodies<D>& b, const Lanes& moved) {
    Lanes arm_a[D];
    Lanes arm_b[D];
    arms(c, p, arm_a, arm_b);
    torque(arm_a, c.normal, turn_a);
    torque(arm_b, c.normal, turn_b);
    a.turned_by(turn_a, spun_a);
    b.turned_by(turn_b, spun_b);
    gap = p.gap + moved + dot<T>(turn_b, b.angle()) - dot<T>(turn_a, a.angle());
  }
  HWY_INLINE Lanes speed(const SimdContact<D>& c, const RelativeMotion<D>& now) const {
    return dot<D>(c.normal, now.velocity) + dot<T>(turn_b, now.spin_b) - dot<T>(turn_a, now.spin_a);
  }
  // What the push of a point becomes.
  HWY_INLINE Lanes push(const Lanes& mass, const Lanes& before, const Lanes& now_speed,
                        const Pass& pass) const {
    const Lanes zero = all(0);
    const Lanes one = all(1);
    const Removal& removal = pass.removal;
    const Mask open = gap > zero;
    const Lanes closes = gap / all(removal.step);
    if (pass.separate) {
      const Lanes opens =
          larger(all(removal.rate) * smaller(gap + all(removal.slop), zero), all(-removal.fastest));
      const Lanes bias = pick(open, closes, opens);
      const Lanes scale = pick(open, one, all(pass.soft_mass));
      const Lanes leak = pick(open, zero, all(pass.soft_leak));
      return larger(before - mass * scale * (now_speed + bias) - leak * before, zero);
    }
    // What has not closed yet is the next substep's.
    const Lanes after = larger(before - mass * (now_speed + pick(open, closes, zero)), zero);
    const Mask waits = open & (before == zero);
    return pick(waits, before, after);
  }
  HWY_INLINE void give(const SimdContact<D>& c, const Lanes& change, RelativeMotion<D>& now) const {
    Lanes impulse[D];
    Lanes by_a[T];
    Lanes by_b[T];
    for (int i = 0; i < D; ++i) impulse[i] = c.normal[i] * change;
    for (int i = 0; i < T; ++i) {
      by_a[i] = spun_a[i] * change;
      by_b[i] = spun_b[i] * change;
    }
    now.give(impulse, by_a, by_b);
  }
};

// Adds up x over sweeps, in pairs, so that equals have equal sums to the bit.
HWY_INLINE void add_in_pairs(std::uint32_t sweep, const Lanes& x, Lanes& first, Lanes& sum) {
  if (sweep % 2 == 0) first = x;
  else sum = sweep == 1 ? first + x : sum + (first + x);
}

// Means over sweeps in the orders that treat equals equally (see orders.h), of the pushes, and the
// speeds before them.
template <int D>
struct EvenPushes {
  Lanes push[contact::kMostPoints<D>];
  Lanes speed[contact::kMostPoints<D>];

  HWY_INLINE void of(const SimdContact<D>& c, const SimdPoint<D>* points, const Bodies<D>& a,
                     const Bodies<D>& b, const RelativeMotion<D>& now, const Lanes& moved,
                     const Mask& counts, const Pass& pass) {
    const Orders orders = orders_of(c.count);
    Lanes first[contact::kMostPoints<D>];
    NormalRow<D> rows[contact::kMostPoints<D>];
    for (std::uint32_t k = 0; k < c.count; ++k) {
      rows[k].of(c, points[k], a, b, moved);
      speed[k] = rows[k].speed(c, now);
    }
    for (std::uint32_t i = 0; i < orders.count; ++i) {
      RelativeMotion<D> trial = now;
      for (std::uint32_t k = 0; k < c.count; ++k) {
        const std::uint32_t at = orders.at(i, k);
        const SimdPoint<D>& p = points[at];
        const NormalRow<D>& row = rows[at];
        const Lanes after =
            pick(counts, row.push(p.mass, p.push, row.speed(c, trial), pass), p.push);
        row.give(c, after - p.push, trial);
        add_in_pairs(i, after, first[at], push[at]);
      }
    }
    const Lanes share = all(1.0 / orders.count);
    for (std::uint32_t k = 0; k < c.count; ++k) push[k] *= share;
  }
};

// The lanes whose bits are set.
HWY_INLINE Mask lanes_of(std::uint32_t bits) {
  Lanes out = all(0);
  for (std::uint32_t k = 0; k < kLanes; ++k) out[k] = static_cast<float>(bits >> k & 1U);
  return out > all(0);
}

// Friction at a point, within the cone of its push.
template <int D>
struct FrictionRow {
  Lanes arm_a[D];
  Lanes arm_b[D];
  Lanes share;  // of what friction can do, for an impulse of one

  HWY_INLINE void of(const SimdContact<D>& c, const SimdPoint<D>& p) {
    share = all(1) / (c.friction * p.push);
    arms(c, p, arm_a, arm_b);
  }
  // What the impulse of a point becomes.
  HWY_INLINE void drag(const SimdContact<D>& c, const SimdPoint<D>& p, const RelativeMotion<D>& now,
                       const Mask& counts, Lanes (&wanted)[D]) const {
    const Lanes zero = all(0);
    const Lanes one = all(1);
    Lanes v[D];
    Lanes turning_a[D];
    Lanes turning_b[D];
    turning(now.spin_a, arm_a, turning_a);
    turning(now.spin_b, arm_b, turning_b);
    for (int i = 0; i < D; ++i) v[i] = now.velocity[i] + turning_b[i] - turning_a[i] + c.surface[i];
    const Lanes off = dot<D>(c.normal, v);
    Lanes part[D];
    for (int i = 0; i < D; ++i) {
      wanted[i] = p.drag[i] - (v[i] - c.normal[i] * off) * p.across;
      part[i] = wanted[i] * share;
    }
    // Relative to the friction limit, whose square neither overflows nor vanishes. Without a push
    // it is infinite, or none of none.
    const Lanes length = dot<D>(part, part);
    const Mask slides = ~(length <= one);
    if (any(slides)) {
      const Lanes kept = pick(slides, pick(length > one, one / root(length), zero), one);
      for (int i = 0; i < D; ++i) wanted[i] *= kept;
    }
    for (int i = 0; i < D; ++i) wanted[i] = pick(counts, wanted[i], p.drag[i]);
  }
  HWY_INLINE void give(const Lanes (&change)[D], RelativeMotion<D>& now) const {
    constexpr int T = kTurns<D>;
    Lanes turn_a[T];
    Lanes turn_b[T];
    Lanes spun_a[T];
    Lanes spun_b[T];
    torque(arm_a, change, turn_a);
    torque(arm_b, change, turn_b);
    now.a.turned_by(turn_a, spun_a);
    now.b.turned_by(turn_b, spun_b);
    now.give(change, spun_a, spun_b);
  }
};

// As EvenPushes, of friction.
template <int D>
struct EvenDrags {
  Lanes drag[contact::kMostPoints<D>][D];

  HWY_INLINE void of(const SimdContact<D>& c, const SimdPoint<D>* points,
                     const RelativeMotion<D>& now, const Mask& counts) {
    const Orders orders = orders_of(c.count);
    Lanes first[contact::kMostPoints<D>][D];
    FrictionRow<D> rows[contact::kMostPoints<D>];
    for (std::uint32_t k = 0; k < c.count; ++k) rows[k].of(c, points[k]);
    for (std::uint32_t i = 0; i < orders.count; ++i) {
      RelativeMotion<D> trial = now;
      for (std::uint32_t k = 0; k < c.count; ++k) {
        const std::uint32_t at = orders.at(i, k);
        const SimdPoint<D>& p = points[at];
        const FrictionRow<D>& row = rows[at];
        Lanes wanted[D];
        Lanes change[D];
        row.drag(c, p, trial, counts, wanted);
        for (int axis = 0; axis < D; ++axis) {
          change[axis] = wanted[axis] - p.drag[axis];
          add_in_pairs(i, wanted[axis], first[at][axis], drag[at][axis]);
        }
        row.give(change, trial);
      }
    }
    const Lanes share = all(1.0 / orders.count);
    for (std::uint32_t k = 0; k < c.count; ++k)
      for (Lanes& x : drag[k]) x *= share;
  }
};

}  // namespace colvik::dynamics::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#endif  // once for each target
