#include "dynamics/wide.h"

#include "math/targets.h"
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "dynamics/wide.cpp"
#include <hwy/foreach_target.h>  // NOLINT: includes this file once for each
#include <hwy/highway.h>

#include <hwy/cache_control.h>

#include <cmath>

// Four numbers are handed on within this file alone.
#pragma GCC diagnostic ignored "-Wpsabi"

HWY_BEFORE_NAMESPACE();
namespace colvik::dynamics::HWY_NAMESPACE {

template <int D>
inline constexpr int kTurns = kTurnAxes<D>;

using Mask = decltype(Four{} < Four{});

inline Four all(double x) { return Four{x, x, x, x}; }
inline bool any(const Mask& m) { return ((m[0] | m[1]) | (m[2] | m[3])) != 0; }
inline Four larger(const Four& x, const Four& y) { return x > y ? x : y; }
inline Four smaller(const Four& x, const Four& y) { return x < y ? x : y; }
inline Four root(const Four& x) { return Four{std::sqrt(x[0]), std::sqrt(x[1]), std::sqrt(x[2]), std::sqrt(x[3])}; }

template <int N>
Four dot(const Four* x, const Four* y) {
  Four sum = x[0] * y[0];
  for (int i = 1; i < N; ++i) sum += x[i] * y[i];
  return sum;
}
inline void torque(const Four* r, const Four* f, Four (&out)[1]) { out[0] = r[0] * f[1] - r[1] * f[0]; }
inline void torque(const Four* r, const Four* f, Four (&out)[3]) {
  out[0] = r[1] * f[2] - r[2] * f[1];
  out[1] = r[2] * f[0] - r[0] * f[2];
  out[2] = r[0] * f[1] - r[1] * f[0];
}
// What a spin adds to the velocity at an arm.
inline void add_turning(const Four* w, const Four* r, const Four& sign, Four (&out)[2]) {
  out[0] -= sign * (w[0] * r[1]), out[1] += sign * (w[0] * r[0]);
}
inline void add_turning(const Four* w, const Four* r, const Four& sign, Four (&out)[3]) {
  out[0] += sign * (w[1] * r[2] - w[2] * r[1]);
  out[1] += sign * (w[2] * r[0] - w[0] * r[2]);
  out[2] += sign * (w[0] * r[1] - w[1] * r[0]);
}

// Four bodies side by side: the first numbers of Moving, number by number.
template <int D>
struct Bodies {
  static constexpr int kNumbers = 3 * D + 2 * kTurns<D> + kTurns<D> * kTurns<D>;
  static constexpr int kGroups = (kNumbers + 3) / 4;
  Four number[4 * kGroups];

  Four* velocity() { return number; }
  Four* spin() { return number + D; }
  [[nodiscard]] const Four* inverse_mass() const { return number + D + kTurns<D>; }
  [[nodiscard]] const Four* inverse_inertia() const { return number + 2 * D + kTurns<D>; }
  [[nodiscard]] const Four* offset() const { return number + 2 * D + kTurns<D> + kTurns<D> * kTurns<D>; }
  [[nodiscard]] const Four* angle() const { return number + 3 * D + kTurns<D> + kTurns<D> * kTurns<D>; }

  void load(const Moving<D>* moving, const std::uint32_t (&who)[4]) {
    const Same* row[4];
    for (int k = 0; k < 4; ++k) row[k] = reinterpret_cast<const Same*>(moving[who[k]].velocity.data());
#pragma GCC unroll 8
    for (int g = 0; g < kGroups; ++g) turn(row[0][g], row[1][g], row[2][g], row[3][g], number + 4 * g);
  }
  // The velocities, and what follows them unchanged.
  void store(Moving<D>* moving, const std::uint32_t (&who)[4], std::uint32_t lanes) const {
#pragma GCC unroll 8
    for (int g = 0; g < (D + kTurns<D> + 3) / 4; ++g) {
      const Four* x = number + 4 * g;
      Four row[4];
      turn(x[0], x[1], x[2], x[3], row);
      for (std::uint32_t k = 0; k < lanes; ++k) reinterpret_cast<Same*>(moving[who[k]].velocity.data())[g] = row[k];
    }
  }
  // An impulse of this torque, times sign.
  void give(const Four& sign, const Four* impulse, const Four* turning) {
    for (int i = 0; i < D; ++i) velocity()[i] += sign * (inverse_mass()[i] * impulse[i]);
    // The matrix is symmetric.
    for (int i = 0; i < kTurns<D>; ++i) spin()[i] += sign * dot<kTurns<D>>(inverse_inertia() + i * kTurns<D>, turning);
  }

 private:
  // Four of the numbers of a body, which begins on a line of memory.
  using Same = double __attribute__((vector_size(32), aligned(32), may_alias));
  // Rows to columns.
  static void turn(const Four& x, const Four& y, const Four& z, const Four& w, Four* out) {
    const Four a = __builtin_shufflevector(x, y, 0, 4, 2, 6), b = __builtin_shufflevector(x, y, 1, 5, 3, 7);
    const Four c = __builtin_shufflevector(z, w, 0, 4, 2, 6), d = __builtin_shufflevector(z, w, 1, 5, 3, 7);
    out[0] = __builtin_shufflevector(a, c, 0, 1, 4, 5), out[1] = __builtin_shufflevector(b, d, 0, 1, 4, 5);
    out[2] = __builtin_shufflevector(a, c, 2, 3, 6, 7), out[3] = __builtin_shufflevector(b, d, 2, 3, 6, 7);
  }
};

template <int D>
Mask counting(const WideContact<D>& c, const Moving<D>* moving) {
  Mask m = all(0) < all(1);
  if (!c.guard) return m;
  for (int k = 0; k < 4; ++k) {
    const Moving<D>&a = moving[c.a[k]], &b = moving[c.b[k]];
    m[k] = a.pushed || b.pushed || a.hit || b.hit ? -1 : 0;
  }
  return m;
}

template <int D>
void end_substep(WideContact<D>& c, WidePoint<D>* points, WideNote* notes) {
  for (std::uint32_t k = 0; k < c.count; ++k) points[k].total_push += points[k].push;
  if (!c.struck) return;
  for (std::uint32_t k = 0; k < c.count; ++k) {
    const Mask lasts = notes[k].struck == all(0);
    points[k].push = lasts ? points[k].push : all(0);
    for (Four& drag : points[k].drag) drag = lasts ? drag : all(0);
    notes[k].struck = all(0);
  }
  c.struck = false;
}

template <int D>
void push_four(WideContact<D>& c, WidePoint<D>* points, WideNote* notes, Moving<D>* moving, const Pass& pass) {
  constexpr int T = kTurns<D>;
  const Mask counts = counting(c, moving);
  if (c.guard && !any(counts)) {
    if (pass.last) end_substep(c, points, notes);
    return;
  }
  const Four zero = all(0), one = all(1), minus = all(-1);
  Bodies<D> a, b;
  a.load(moving, c.a), b.load(moving, c.b);
  Four way[D], arm_b[D], turn_a[T], turn_b[T];
  for (int i = 0; i < D; ++i) way[i] = b.offset()[i] - a.offset()[i];
  const Four moved = dot<D>(c.normal, way);
  const Removal& removal = pass.removal;
  Mask pushed = zero > one;
  for (std::uint32_t k = 0; k < c.count; ++k) {
    WidePoint<D>& p = points[k];
    for (int i = 0; i < D; ++i) arm_b[i] = p.arm[i] + c.between[i];
    torque(p.arm, c.normal, turn_a), torque(arm_b, c.normal, turn_b);
    const Four gap = p.gap + moved + dot<T>(turn_b, b.angle()) - dot<T>(turn_a, a.angle());
    const Mask open = gap > zero;
    Four between[D];
    for (int i = 0; i < D; ++i) between[i] = b.velocity()[i] - a.velocity()[i];
    const Four speed = dot<D>(c.normal, between) + dot<T>(turn_b, b.spin()) - dot<T>(turn_a, a.spin());
    const Four closes = gap / removal.step;
    const Four before = p.push;
    Four after;
    if (pass.separate) {
      const Four opens = larger(removal.rate * smaller(gap + removal.slop, zero), all(-removal.fastest));
      const Four bias = open ? closes : opens;
      const Four scale = open ? one : all(pass.soft_mass), leak = open ? zero : all(pass.soft_leak);
      after = larger(before - p.mass * scale * (speed + bias) - leak * before, zero);
    } else {
      // What has not closed yet is the next substep's.
      after = larger(before - p.mass * (speed + (open ? closes : zero)), zero);
      const Mask waits = open & (before == zero);
      after = waits ? before : after;
    }
    after = counts ? after : before;
    p.push = after;
    const Mask pushes = counts & (after > zero);
    pushed |= pushes;
    const Mask strikes = pushes & (before == zero) & (speed < all(-removal.strike));
    const Mask starts = pushes & (notes[k].when < zero);
    if (any(starts)) {
      const Mask arrives = open & (speed < zero);
      const Four until = arrives ? smaller(gap / -speed, all(removal.step)) : zero;
      notes[k].when = starts ? pass.time + until : notes[k].when;
    }
    if (any(strikes)) notes[k].struck = strikes ? one : notes[k].struck, c.struck = true;
    const Four change = after - before;
    Four impulse[D];
    for (int i = 0; i < D; ++i) impulse[i] = c.normal[i] * change;
    for (int i = 0; i < T; ++i) turn_a[i] *= change, turn_b[i] *= change;
    a.give(minus, impulse, turn_a), b.give(one, impulse, turn_b);
  }
  if (pass.separate && any(pushed))
    for (int k = 0; k < 4; ++k)
      if (pushed[k] != 0) moving[c.a[k]].pushed = moving[c.b[k]].pushed = true;
  for (std::uint32_t k = 0; k < c.count; ++k) {
    WidePoint<D>& p = points[k];
    const Four most = c.friction * p.push;
    Four v[D];
    for (int i = 0; i < D; ++i) arm_b[i] = p.arm[i] + c.between[i], v[i] = b.velocity()[i];
    add_turning(b.spin(), arm_b, one, v);
    for (int i = 0; i < D; ++i) v[i] -= a.velocity()[i];
    add_turning(a.spin(), p.arm, minus, v);
    for (int i = 0; i < D; ++i) v[i] += c.surface[i];
    const Four off = dot<D>(c.normal, v);
    Four wanted[D], change[D];
    for (int i = 0; i < D; ++i) wanted[i] = p.drag[i] - (v[i] - c.normal[i] * off) * p.across;
    const Four length = dot<D>(wanted, wanted);
    const Mask slides = length > most * most;
    if (any(slides)) {
      const Four part = slides ? most / root(length) : one;
      for (int i = 0; i < D; ++i) wanted[i] *= part;
    }
    for (int i = 0; i < D; ++i) {
      wanted[i] = counts ? wanted[i] : p.drag[i];
      change[i] = wanted[i] - p.drag[i];
      p.drag[i] = wanted[i];
    }
    torque(p.arm, change, turn_a), torque(arm_b, change, turn_b);
    a.give(minus, change, turn_a), b.give(one, change, turn_b);
  }
  a.store(moving, c.a, c.lanes), b.store(moving, c.b, c.lanes);
  if (pass.last) end_substep(c, points, notes);
}

template <int D>
void warm_four(WideContact<D>& c, WidePoint<D>* points, Moving<D>* moving) {
  constexpr int T = kTurns<D>;
  const Mask counts = counting(c, moving);
  const Four zero = all(0);
  Four sum[D], turning_a[T], turning_b[T];
  for (Four& x : sum) x = zero;
  for (int i = 0; i < T; ++i) turning_a[i] = turning_b[i] = zero;
  Mask some = zero > all(1);
  for (std::uint32_t k = 0; k < c.count; ++k) {
    WidePoint<D>& p = points[k];
    const Mask pushes = counts & (p.push > zero);
    const Mask keeps = pushes | ~counts;
    some |= pushes;
    Four impulse[D], turn[T];
    for (int i = 0; i < D; ++i) {
      p.drag[i] = keeps ? p.drag[i] : zero;
      impulse[i] = pushes ? c.normal[i] * p.push + p.drag[i] : zero;
      sum[i] += impulse[i];
    }
    torque(p.arm, impulse, turn);
    for (int i = 0; i < T; ++i) turning_a[i] += turn[i];
    Four arm_b[D];
    for (int i = 0; i < D; ++i) arm_b[i] = p.arm[i] + c.between[i];
    torque(arm_b, impulse, turn);
    for (int i = 0; i < T; ++i) turning_b[i] += turn[i];
  }
  if (!any(some)) return;
  Bodies<D> a, b;
  a.load(moving, c.a), b.load(moving, c.b);
  a.give(all(-1), sum, turning_a), b.give(all(1), sum, turning_b);
  a.store(moving, c.a, c.lanes), b.store(moving, c.b, c.lanes);
}

// Bodies that are wanted next, which may lie far apart.
template <int D>
void fetch(const WideContact<D>& c, const Moving<D>* moving) {
  constexpr std::size_t kLine = 64, kRead = Bodies<D>::kGroups * sizeof(Four);
  for (const auto* who : {&c.a, &c.b})
    for (const std::uint32_t body : *who)
      for (std::size_t at = 0; at < kRead; at += kLine)
        hwy::Prefetch(reinterpret_cast<const char*>(moving + body) + at);
}

template <int D>
void push_all(WideContact<D>* first, WideContact<D>* last, WidePoint<D>* points, WideNote* notes, Moving<D>* moving,
              const Pass& pass) {
  for (; first != last; ++first) {
    if (last - first > 1) fetch(first[1], moving);
    push_four(*first, points + first->first, notes + first->first, moving, pass);
  }
}
template <int D>
void warm_all(WideContact<D>* first, WideContact<D>* last, WidePoint<D>* points, Moving<D>* moving) {
  for (; first != last; ++first) {
    if (last - first > 1) fetch(first[1], moving);
    warm_four(*first, points + first->first, moving);
  }
}

void push_2(WideContact<2>* first, WideContact<2>* last, WidePoint<2>* points, WideNote* notes, Moving<2>* moving,
            const Pass& pass) {
  push_all(first, last, points, notes, moving, pass);
}
void push_3(WideContact<3>* first, WideContact<3>* last, WidePoint<3>* points, WideNote* notes, Moving<3>* moving,
            const Pass& pass) {
  push_all(first, last, points, notes, moving, pass);
}
void warm_2(WideContact<2>* first, WideContact<2>* last, WidePoint<2>* points, Moving<2>* moving) {
  warm_all(first, last, points, moving);
}
void warm_3(WideContact<3>* first, WideContact<3>* last, WidePoint<3>* points, Moving<3>* moving) {
  warm_all(first, last, points, moving);
}

}  // namespace colvik::dynamics::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace colvik::dynamics {
HWY_EXPORT(push_2);
HWY_EXPORT(push_3);
HWY_EXPORT(warm_2);
HWY_EXPORT(warm_3);

template <>
void Wide<2>::warm_start(std::span<Moving<2>> moving) {
  HWY_DYNAMIC_DISPATCH(warm_2)
  (contacts_.data(), contacts_.data() + contacts_.size(), points_.data(), moving.data());
}
template <>
void Wide<3>::warm_start(std::span<Moving<3>> moving) {
  HWY_DYNAMIC_DISPATCH(warm_3)
  (contacts_.data(), contacts_.data() + contacts_.size(), points_.data(), moving.data());
}
template <>
void Wide<2>::push(std::span<Moving<2>> moving, const Pass& pass, bool guards) {
  HWY_DYNAMIC_DISPATCH(push_2)
  (contacts_.data() + (guards ? guards_ : 0), contacts_.data() + (guards ? contacts_.size() : guards_), points_.data(),
   notes_.data(), moving.data(), pass);
}
template <>
void Wide<3>::push(std::span<Moving<3>> moving, const Pass& pass, bool guards) {
  HWY_DYNAMIC_DISPATCH(push_3)
  (contacts_.data() + (guards ? guards_ : 0), contacts_.data() + (guards ? contacts_.size() : guards_), points_.data(),
   notes_.data(), moving.data(), pass);
}
}  // namespace colvik::dynamics
#endif
