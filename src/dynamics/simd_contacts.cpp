#include "dynamics/simd_contacts.h"

#include "math/fetch.h"
#include "math/targets.h"
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "dynamics/simd_contacts.cpp"
#include <hwy/foreach_target.h>  // NOLINT: includes this file once for each
#include <hwy/highway.h>

#include "dynamics/simd_rows-inl.h"

HWY_BEFORE_NAMESPACE();
namespace colvik::dynamics::HWY_NAMESPACE {

// Impulses along the normal of each point; returns in which lanes one acts.
template <int D>
HWY_INLINE Mask push_normals(SimdContact<D>& c, SimdPoint<D>* points, SimdNote<D>* notes,
                             const Bodies<D>& a, const Bodies<D>& b, RelativeMotion<D>& now,
                             const Mask& counts, const Pass& pass) {
  const Lanes zero = all(0);
  const Lanes one = all(1);
  Lanes displacement[D];
  for (int i = 0; i < D; ++i) displacement[i] = b.offset()[i] - a.offset()[i];
  const Lanes moved = dot<D>(c.normal, displacement);
  const Removal& removal = pass.removal;
  Mask pushed = zero > one;
  bool some_started = false;
  EvenPushes<D> even;
  if (c.even != 0) even.of(c, points, a, b, now, moved, counts, pass);
  for (std::uint32_t k = 0; k < c.count; ++k) {
    SimdPoint<D>& p = points[k];
    NormalRow<D> row;
    row.of(c, p, a, b, moved);
    Lanes speed = row.speed(c, now);
    const Lanes before = p.push;
    Lanes after = pick(counts, row.push(p.mass, before, speed, pass), before);
    if (c.even != 0) {
      const Mask evens = lanes_of(c.even);
      speed = pick(evens, even.speed[k], speed);
      after = pick(evens, even.push[k], after);
    }
    p.push = after;
    const Mask pushes = counts & (after > zero);
    pushed |= pushes;
    const Mask strikes = pushes & (before == zero) & (speed < all(-removal.strike));
    if (!c.begun) {
      const Mask starts = pushes & (notes[k].when < zero);
      if (any(starts)) {
        // Still open, and stopped by another contact meanwhile, or found after the bodies have
        // moved: it closes by the substep's end.
        const Lanes step = all(removal.step);
        const Lanes closes_in = pick(speed < zero, smaller(row.gap / -speed, step), step);
        const Lanes until = pass.separate ? pick(row.gap > zero, closes_in, zero) : step;
        notes[k].when = pick(starts, all(pass.time) + until, notes[k].when);
        some_started = true;
      }
    }
    if (any(strikes)) {
      notes[k].struck = pick(strikes, one, notes[k].struck);
      c.struck = true;
    }
    row.give(c, after - before, now);
  }
  if (some_started) {
    Mask waits = zero > one;
    for (std::uint32_t k = 0; k < c.count; ++k) waits |= notes[k].when < zero;
    c.begun = !any(waits);
  }
  return pushed;
}

// Marks the bodies of the lanes that push.
template <int D>
HWY_INLINE void note_pushed(const SimdContact<D>& c, const Mask& pushed, Moving<D>* moving) {
  for (std::uint32_t k = 0; k < kLanes; ++k) {
    if (pushed[k] == 0) continue;
    if ((c.moves_a >> k & 1U) != 0) moving[c.a[k]].pushed = true;
    if ((c.moves_b >> k & 1U) != 0) moving[c.b[k]].pushed = true;
  }
}

template <int D>
HWY_INLINE void push_friction(const SimdContact<D>& c, SimdPoint<D>* points, RelativeMotion<D>& now,
                              const Mask& counts) {
  EvenDrags<D> even;
  if (c.even != 0) even.of(c, points, now, counts);
  for (std::uint32_t k = 0; k < c.count; ++k) {
    SimdPoint<D>& p = points[k];
    FrictionRow<D> row;
    row.of(c, p);
    Lanes wanted[D];
    Lanes change[D];
    row.drag(c, p, now, counts, wanted);
    for (int i = 0; i < D; ++i) {
      if (c.even != 0) wanted[i] = pick(lanes_of(c.even), even.drag[k][i], wanted[i]);
      change[i] = wanted[i] - p.drag[i];
      p.drag[i] = wanted[i];
    }
    row.give(change, now);
  }
}

template <int D>
void push_some(SimdContact<D>& c, SimdPoint<D>* points, SimdNote<D>* notes, Moving<D>* moving,
               const Pass& pass) {
  const Mask counts = counting(c, moving);
  if (c.guard && !any(counts)) {
    if (pass.last) end_substep(c, points, notes);
    return;
  }
  Bodies<D> a;
  Bodies<D> b;
  a.load(moving, c.a);
  b.load(moving, c.b);
  RelativeMotion<D> now(a, b);
  const Mask pushed = push_normals(c, points, notes, a, b, now, counts, pass);
  if (pass.separate && any(pushed)) note_pushed(c, pushed, moving);
  push_friction(c, points, now, counts);
  a.give(-1, now.impulse, now.spun_a);
  b.give(1, now.impulse, now.spun_b);
  a.store(moving, c.a, c.moves_a);
  b.store(moving, c.b, c.moves_b);
  if (pass.last) end_substep(c, points, notes);
}

template <int D>
void warm_some(SimdContact<D>& c, SimdPoint<D>* points, Moving<D>* moving) {
  constexpr int T = kTurns<D>;
  const Mask counts = counting(c, moving);
  const Lanes zero = all(0);
  Lanes sum[D];
  Lanes turning_a[T];
  Lanes turning_b[T];
  for (Lanes& x : sum) x = zero;
  for (int i = 0; i < T; ++i) turning_a[i] = turning_b[i] = zero;
  Mask some = zero > all(1);
  for (std::uint32_t k = 0; k < c.count; ++k) {
    SimdPoint<D>& p = points[k];
    const Mask pushes = counts & (p.push > zero);
    const Mask keeps = pushes | ~counts;
    some |= pushes;
    Lanes impulse[D];
    Lanes turn[T];
    Lanes arm_a[D];
    Lanes arm_b[D];
    for (int i = 0; i < D; ++i) {
      p.drag[i] = pick(keeps, p.drag[i], zero);
      impulse[i] = pick(pushes, c.normal[i] * p.push + p.drag[i], zero);
      sum[i] += impulse[i];
    }
    arms(c, p, arm_a, arm_b);
    torque(arm_a, impulse, turn);
    for (int i = 0; i < T; ++i) turning_a[i] += turn[i];
    torque(arm_b, impulse, turn);
    for (int i = 0; i < T; ++i) turning_b[i] += turn[i];
  }
  if (!any(some)) return;
  Bodies<D> a;
  Bodies<D> b;
  a.load(moving, c.a);
  b.load(moving, c.b);
  Lanes spun[T];
  a.turned_by(turning_a, spun);
  a.give(-1, sum, spun);
  b.turned_by(turning_b, spun);
  b.give(1, sum, spun);
  a.store(moving, c.a, c.moves_a);
  b.store(moving, c.b, c.moves_b);
}

// How impulses along u at these arms turn two bodies.
template <int D>
struct Twist {
  static constexpr int T = kTurns<D>;
  Lanes a[T];
  Lanes b[T];
  Lanes spun_a[T];
  Lanes spun_b[T];

  HWY_INLINE void of(const Lanes (&u)[D], const Lanes (&arm_a)[D], const Lanes (&arm_b)[D],
                     const Bodies<D>& first, const Bodies<D>& second) {
    torque(arm_a, u, a);
    torque(arm_b, u, b);
    first.turned_by(a, spun_a);
    second.turned_by(b, spun_b);
  }
  // The velocity along another line that an impulse along this one causes by turning.
  HWY_INLINE Lanes gives(const Twist& other) const {
    return dot<T>(a, other.spun_a) + dot<T>(b, other.spun_b);
  }
};

HWY_INLINE void tangents(const Lanes (&n)[2], Lanes (&out)[1][2]) {
  out[0][0] = -n[1];
  out[0][1] = n[0];
}
HWY_INLINE void tangents(const Lanes (&n)[3], Lanes (&out)[2][3]) {
  // Crossing with the axis least along n is never degenerate.
  Lanes size[3];
  for (int i = 0; i < 3; ++i) size[i] = larger(n[i], -n[i]);
  const Mask z = (size[2] < size[0]) & (size[2] < size[1]);
  const Mask y = ~z & (size[1] < size[0]);
  const Lanes zero = all(0);
  out[0][0] = pick(z, n[1], pick(y, -n[2], zero));
  out[0][1] = pick(z, -n[0], pick(y, zero, n[2]));
  out[0][2] = pick(z, zero, pick(y, n[0], -n[1]));
  const Lanes length = root(dot<3>(out[0], out[0]));
  for (int i = 0; i < 3; ++i) out[0][i] /= length;
  torque(n, out[0], out[1]);
}

// Masses of the points of a contact whose lanes are marked by a mass of 1 or none. Across it is of
// the tangents the one along which an impulse moves the two most: with its mass no step is too
// long, and friction acts straight against the direction of sliding.
template <int D>
void weigh_some(const SimdContact<D>& c, SimdPoint<D>* points, const Moving<D>* moving) {
  Bodies<D> a;
  Bodies<D> b;
  a.load(moving, c.a);
  b.load(moving, c.b);
  const Lanes zero = all(0);
  const Lanes one = all(1);
  Lanes along[D - 1][D];
  Lanes arm_a[D];
  Lanes arm_b[D];
  tangents(c.normal, along);
  Lanes easy = zero;
  Lanes easy_across[D - 1];
  for (Lanes& x : easy_across) x = zero;
  [[maybe_unused]] Lanes easy_mixed = zero;
  for (int i = 0; i < D; ++i) {
    const Lanes both = a.inverse_mass()[i] + b.inverse_mass()[i];
    easy += both * c.normal[i] * c.normal[i];
    for (int t = 0; t < D - 1; ++t) easy_across[t] += both * along[t][i] * along[t][i];
    if constexpr (D == 3) easy_mixed += both * along[0][i] * along[1][i];
  }
  for (std::uint32_t k = 0; k < c.count; ++k) {
    SimdPoint<D>& p = points[k];
    arms(c, p, arm_a, arm_b);
    Twist<D> twist;
    twist.of(c.normal, arm_a, arm_b, a, b);
    const Lanes gives = easy + twist.gives(twist);
    twist.of(along[0], arm_a, arm_b, a, b);
    Lanes across = easy_across[0] + twist.gives(twist);
    if constexpr (D == 3) {
      Twist<D> second;
      second.of(along[1], arm_a, arm_b, a, b);
      const Lanes other = easy_across[1] + second.gives(second);
      const Lanes mixed = easy_mixed + twist.gives(second);
      const Lanes half = all(0.5) * (across - other);
      across = all(0.5) * (across + other) + root(half * half + mixed * mixed);
    }
    const Mask used = p.mass > zero;
    p.mass = pick(used & (gives > zero), one / gives, zero);
    p.across = pick(used & (across > zero), one / across, zero);
  }
}

// What is wanted soon: bodies, which may lie far apart, and points, of which there are too many to
// be seen coming.
template <int D>
HWY_INLINE void fetch_ahead(const SimdContact<D>* now, const SimdContact<D>* last,
                            const SimdPoint<D>* points, const Moving<D>* moving) {
  constexpr std::size_t kRead = offsetof(Moving<D>, narrow) + sizeof(Narrow<D>);
  if (last - now > 2)
    for (const auto* who : {&now[2].a, &now[2].b})
      for (const std::uint32_t body : *who) math::fetch(moving + body, kRead);
  if (last - now > 1) math::fetch(points + now[1].first, now[1].count * sizeof(SimdPoint<D>));
}

template <int D>
void push_all(SimdContact<D>* first, SimdContact<D>* last, SimdPoint<D>* points, SimdNote<D>* notes,
              Moving<D>* moving, const Pass& pass) {
  for (; first != last; ++first) {
    fetch_ahead(first, last, points, moving);
    push_some(*first, points + first->first, notes + first->first, moving, pass);
  }
}
template <int D>
void warm_all(SimdContact<D>* first, SimdContact<D>* last, SimdPoint<D>* points,
              Moving<D>* moving) {
  for (; first != last; ++first) {
    fetch_ahead(first, last, points, moving);
    warm_some(*first, points + first->first, moving);
  }
}

template <int D>
void weigh_all(const SimdContact<D>* first, const SimdContact<D>* last, SimdPoint<D>* points,
               const Moving<D>* moving) {
  for (; first != last; ++first) {
    fetch_ahead(first, last, points, moving);
    weigh_some(*first, points + first->first, moving);
  }
}

void push_2(SimdContact<2>* first, SimdContact<2>* last, SimdPoint<2>* points, SimdNote<2>* notes,
            Moving<2>* moving, const Pass& pass) {
  push_all(first, last, points, notes, moving, pass);
}
void push_3(SimdContact<3>* first, SimdContact<3>* last, SimdPoint<3>* points, SimdNote<3>* notes,
            Moving<3>* moving, const Pass& pass) {
  push_all(first, last, points, notes, moving, pass);
}
void warm_2(SimdContact<2>* first, SimdContact<2>* last, SimdPoint<2>* points, Moving<2>* moving) {
  warm_all(first, last, points, moving);
}
void warm_3(SimdContact<3>* first, SimdContact<3>* last, SimdPoint<3>* points, Moving<3>* moving) {
  warm_all(first, last, points, moving);
}

void weigh_2(const SimdContact<2>* first, const SimdContact<2>* last, SimdPoint<2>* points,
             const Moving<2>* moving) {
  weigh_all(first, last, points, moving);
}
void weigh_3(const SimdContact<3>* first, const SimdContact<3>* last, SimdPoint<3>* points,
             const Moving<3>* moving) {
  weigh_all(first, last, points, moving);
}

}  // namespace colvik::dynamics::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace colvik::dynamics {
HWY_EXPORT(push_2);
HWY_EXPORT(push_3);
HWY_EXPORT(warm_2);
HWY_EXPORT(warm_3);
HWY_EXPORT(weigh_2);
HWY_EXPORT(weigh_3);

template <>
void SimdContacts<2>::warm_some(std::size_t first, std::size_t last, std::span<Moving<2>> moving) {
  HWY_DYNAMIC_DISPATCH(warm_2)
  (contacts_.data() + first, contacts_.data() + last, points_.data(), moving.data());
}
template <>
void SimdContacts<2>::weigh_some(std::size_t first, std::size_t last,
                                 std::span<const Moving<2>> moving) {
  HWY_DYNAMIC_DISPATCH(weigh_2)
  (contacts_.data() + first, contacts_.data() + last, points_.data(), moving.data());
}
template <>
void SimdContacts<2>::push_some(std::size_t first, std::size_t last, std::span<Moving<2>> moving,
                                const Pass& pass) {
  HWY_DYNAMIC_DISPATCH(push_2)
  (contacts_.data() + first, contacts_.data() + last, points_.data(), notes_.data(), moving.data(),
   pass);
}
template <>
void SimdContacts<3>::warm_some(std::size_t first, std::size_t last, std::span<Moving<3>> moving) {
  HWY_DYNAMIC_DISPATCH(warm_3)
  (contacts_.data() + first, contacts_.data() + last, points_.data(), moving.data());
}
template <>
void SimdContacts<3>::weigh_some(std::size_t first, std::size_t last,
                                 std::span<const Moving<3>> moving) {
  HWY_DYNAMIC_DISPATCH(weigh_3)
  (contacts_.data() + first, contacts_.data() + last, points_.data(), moving.data());
}
template <>
void SimdContacts<3>::push_some(std::size_t first, std::size_t last, std::span<Moving<3>> moving,
                                const Pass& pass) {
  HWY_DYNAMIC_DISPATCH(push_3)
  (contacts_.data() + first, contacts_.data() + last, points_.data(), notes_.data(), moving.data(),
   pass);
}
}  // namespace colvik::dynamics
#endif
