#include "dynamics/wide.h"

#include "math/targets.h"
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "dynamics/wide.cpp"
#include <hwy/foreach_target.h>  // NOLINT: includes this file once for each
#include <hwy/highway.h>

#include <hwy/cache_control.h>

#include <cmath>

// Vectors are handed on within this file alone.
#pragma GCC diagnostic ignored "-Wpsabi"

HWY_BEFORE_NAMESPACE();
namespace colvik::dynamics::HWY_NAMESPACE {

template <int D>
inline constexpr int kTurns = kTurnAxes<D>;

using FourMask = decltype(Four{} < Four{});
template <int D>
struct Mask {
  FourMask part[kVectors<D>];
};

// NOLINTBEGIN(bugprone-macro-parentheses): types cannot have them
#define COLVIK_OPERATOR(Result, op, Type)                                                 \
  template <int D>                                                                        \
  HWY_INLINE Result<D> operator op(const Type<D>& x, const Type<D>& y) {                  \
    Result<D> out;                                                                        \
    for (std::uint32_t v = 0; v < kVectors<D>; ++v) out.part[v] = x.part[v] op y.part[v]; \
    return out;                                                                           \
  }
COLVIK_OPERATOR(Lanes, +, Lanes)
COLVIK_OPERATOR(Lanes, -, Lanes)
COLVIK_OPERATOR(Lanes, *, Lanes)
COLVIK_OPERATOR(Lanes, /, Lanes)
COLVIK_OPERATOR(Mask, <, Lanes)
COLVIK_OPERATOR(Mask, >, Lanes)
COLVIK_OPERATOR(Mask, ==, Lanes)
COLVIK_OPERATOR(Mask, &, Mask)
COLVIK_OPERATOR(Mask, |, Mask)
#undef COLVIK_OPERATOR
// NOLINTEND(bugprone-macro-parentheses)
template <int D>
HWY_INLINE Lanes<D> operator-(const Lanes<D>& x) {
  Lanes<D> out;
  for (std::uint32_t v = 0; v < kVectors<D>; ++v) out.part[v] = -x.part[v];
  return out;
}
template <int D>
HWY_INLINE Mask<D> operator~(const Mask<D>& m) {
  Mask<D> out;
  for (std::uint32_t v = 0; v < kVectors<D>; ++v) out.part[v] = ~m.part[v];
  return out;
}
template <int D>
HWY_INLINE void operator+=(Lanes<D>& x, const Lanes<D>& y) {
  x = x + y;
}
template <int D>
HWY_INLINE void operator-=(Lanes<D>& x, const Lanes<D>& y) {
  x = x - y;
}
template <int D>
HWY_INLINE void operator*=(Lanes<D>& x, const Lanes<D>& y) {
  x = x * y;
}
template <int D>
HWY_INLINE void operator|=(Mask<D>& x, const Mask<D>& y) {
  x = x | y;
}

template <int D>
HWY_INLINE Lanes<D> all(double x) {
  Lanes<D> out;
  for (Four& part : out.part) part = Four{x, x, x, x};
  return out;
}
template <int D>
HWY_INLINE bool any(const Mask<D>& m) {
  FourMask both = m.part[0];
  for (std::uint32_t v = 1; v < kVectors<D>; ++v) both |= m.part[v];
  return ((both[0] | both[1]) | (both[2] | both[3])) != 0;
}
// By lane: x where m is set, else y.
template <int D>
HWY_INLINE Lanes<D> pick(const Mask<D>& m, const Lanes<D>& x, const Lanes<D>& y) {
  Lanes<D> out;
  for (std::uint32_t v = 0; v < kVectors<D>; ++v) out.part[v] = m.part[v] ? x.part[v] : y.part[v];
  return out;
}
template <int D>
HWY_INLINE Lanes<D> larger(const Lanes<D>& x, const Lanes<D>& y) {
  return pick(x > y, x, y);
}
template <int D>
HWY_INLINE Lanes<D> smaller(const Lanes<D>& x, const Lanes<D>& y) {
  return pick(x < y, x, y);
}
template <int D>
HWY_INLINE Lanes<D> root(const Lanes<D>& x) {
  Lanes<D> out;
  for (std::uint32_t v = 0; v < kVectors<D>; ++v)
    for (int k = 0; k < 4; ++k) out.part[v][k] = std::sqrt(x.part[v][k]);
  return out;
}

template <int N, int D>
HWY_INLINE Lanes<D> dot(const Lanes<D>* x, const Lanes<D>* y) {
  Lanes<D> sum = x[0] * y[0];
  for (int i = 1; i < N; ++i) sum += x[i] * y[i];
  return sum;
}
HWY_INLINE void torque(const Lanes<2>* r, const Lanes<2>* f, Lanes<2> (&out)[1]) { out[0] = r[0] * f[1] - r[1] * f[0]; }
HWY_INLINE void torque(const Lanes<3>* r, const Lanes<3>* f, Lanes<3> (&out)[3]) {
  out[0] = r[1] * f[2] - r[2] * f[1];
  out[1] = r[2] * f[0] - r[0] * f[2];
  out[2] = r[0] * f[1] - r[1] * f[0];
}
// What a spin adds to the velocity at an arm.
HWY_INLINE void add_turning(const Lanes<2>* w, const Lanes<2>* r, const Lanes<2>& sign, Lanes<2> (&out)[2]) {
  out[0] -= sign * (w[0] * r[1]), out[1] += sign * (w[0] * r[0]);
}
HWY_INLINE void add_turning(const Lanes<3>* w, const Lanes<3>* r, const Lanes<3>& sign, Lanes<3> (&out)[3]) {
  out[0] += sign * (w[1] * r[2] - w[2] * r[1]);
  out[1] += sign * (w[2] * r[0] - w[0] * r[2]);
  out[2] += sign * (w[0] * r[1] - w[1] * r[0]);
}

// Bodies side by side: the first numbers of Moving, number by number.
template <int D>
struct Bodies {
  static constexpr int kNumbers = 3 * D + 2 * kTurns<D> + kTurns<D> * kTurns<D>;
  static constexpr int kGroups = (kNumbers + 3) / 4;
  Lanes<D> number[4 * kGroups];

  Lanes<D>* velocity() { return number; }
  Lanes<D>* spin() { return number + D; }
  [[nodiscard]] const Lanes<D>* inverse_mass() const { return number + D + kTurns<D>; }
  [[nodiscard]] const Lanes<D>* inverse_inertia() const { return number + 2 * D + kTurns<D>; }
  [[nodiscard]] const Lanes<D>* offset() const { return number + 2 * D + kTurns<D> + kTurns<D> * kTurns<D>; }
  [[nodiscard]] const Lanes<D>* angle() const { return number + 3 * D + kTurns<D> + kTurns<D> * kTurns<D>; }

  void load(const Moving<D>* moving, const std::uint32_t (&who)[kLanes<D>]) {
    for (std::uint32_t h = 0; h < kVectors<D>; ++h) {
      const Same* row[4];
      for (std::uint32_t k = 0; k < 4; ++k)
        row[k] = reinterpret_cast<const Same*>(moving[who[4 * h + k]].velocity.data());
#pragma GCC unroll 8
      for (int g = 0; g < kGroups; ++g) {
        Four out[4];
        turn(row[0][g], row[1][g], row[2][g], row[3][g], out);
        for (int k = 0; k < 4; ++k) number[4 * g + k].part[h] = out[k];
      }
    }
  }
  // The velocities, and what follows them unchanged.
  void store(Moving<D>* moving, const std::uint32_t (&who)[kLanes<D>], std::uint32_t lanes) const {
    for (std::uint32_t h = 0; h < kVectors<D>; ++h)
#pragma GCC unroll 8
      for (int g = 0; g < (D + kTurns<D> + 3) / 4; ++g) {
        const Lanes<D>* x = number + 4 * g;
        Four row[4];
        turn(x[0].part[h], x[1].part[h], x[2].part[h], x[3].part[h], row);
        for (std::uint32_t k = 4 * h; k < std::min(lanes, 4 * h + 4); ++k)
          reinterpret_cast<Same*>(moving[who[k]].velocity.data())[g] = row[k - 4 * h];
      }
  }
  // An impulse of this torque, times sign.
  HWY_INLINE void give(const Lanes<D>& sign, const Lanes<D>* impulse, const Lanes<D>* turning) {
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

// Inline, like all that returns vectors: g++ 12 would clear half of one that is returned in a struct.
template <int D>
HWY_INLINE Mask<D> counting(const WideContact<D>& c, const Moving<D>* moving) {
  Lanes<D> acts = all<D>(1);
  for (std::uint32_t k = 0; c.guard && k < kLanes<D>; ++k) {
    const Moving<D>&a = moving[c.a[k]], &b = moving[c.b[k]];
    acts.set(k, a.pushed || b.pushed || a.hit || b.hit ? 1 : 0);
  }
  return acts > all<D>(0);
}

template <int D>
void end_substep(WideContact<D>& c, WidePoint<D>* points, WideNote<D>* notes) {
  for (std::uint32_t k = 0; k < c.count; ++k) notes[k].total_push += points[k].push;
  if (!c.struck) return;
  for (std::uint32_t k = 0; k < c.count; ++k) {
    const Mask<D> lasts = notes[k].struck == all<D>(0);
    points[k].push = pick(lasts, points[k].push, all<D>(0));
    for (Lanes<D>& drag : points[k].drag) drag = pick(lasts, drag, all<D>(0));
    notes[k].struck = all<D>(0);
  }
  c.struck = false;
}

template <int D>
void push_some(WideContact<D>& c, WidePoint<D>* points, WideNote<D>* notes, Moving<D>* moving, const Pass& pass) {
  constexpr int T = kTurns<D>;
  const Mask<D> counts = counting(c, moving);
  if (c.guard && !any(counts)) {
    if (pass.last) end_substep(c, points, notes);
    return;
  }
  const Lanes<D> zero = all<D>(0), one = all<D>(1), minus = all<D>(-1);
  Bodies<D> a, b;
  a.load(moving, c.a), b.load(moving, c.b);
  Lanes<D> way[D], arm_b[D], turn_a[T], turn_b[T];
  for (int i = 0; i < D; ++i) way[i] = b.offset()[i] - a.offset()[i];
  const Lanes<D> moved = dot<D>(c.normal, way);
  const Removal& removal = pass.removal;
  Mask<D> pushed = zero > one;
  for (std::uint32_t k = 0; k < c.count; ++k) {
    WidePoint<D>& p = points[k];
    for (int i = 0; i < D; ++i) arm_b[i] = p.arm[i] + c.between[i];
    torque(p.arm, c.normal, turn_a), torque(arm_b, c.normal, turn_b);
    const Lanes<D> gap = p.gap + moved + dot<T>(turn_b, b.angle()) - dot<T>(turn_a, a.angle());
    const Mask<D> open = gap > zero;
    Lanes<D> between[D];
    for (int i = 0; i < D; ++i) between[i] = b.velocity()[i] - a.velocity()[i];
    const Lanes<D> speed = dot<D>(c.normal, between) + dot<T>(turn_b, b.spin()) - dot<T>(turn_a, a.spin());
    const Lanes<D> closes = gap / all<D>(removal.step);
    const Lanes<D> before = p.push;
    Lanes<D> after;
    if (pass.separate) {
      const Lanes<D> opens =
          larger(all<D>(removal.rate) * smaller(gap + all<D>(removal.slop), zero), all<D>(-removal.fastest));
      const Lanes<D> bias = pick(open, closes, opens);
      const Lanes<D> scale = pick(open, one, all<D>(pass.soft_mass)), leak = pick(open, zero, all<D>(pass.soft_leak));
      after = larger(before - p.mass * scale * (speed + bias) - leak * before, zero);
    } else {
      // What has not closed yet is the next substep's.
      after = larger(before - p.mass * (speed + pick(open, closes, zero)), zero);
      const Mask<D> waits = open & (before == zero);
      after = pick(waits, before, after);
    }
    after = pick(counts, after, before);
    p.push = after;
    const Mask<D> pushes = counts & (after > zero);
    pushed |= pushes;
    const Mask<D> strikes = pushes & (before == zero) & (speed < all<D>(-removal.strike));
    const Mask<D> starts = pushes & (notes[k].when < zero);
    if (any(starts)) {
      const Mask<D> arrives = open & (speed < zero);
      const Lanes<D> until = pick(arrives, smaller(gap / -speed, all<D>(removal.step)), zero);
      notes[k].when = pick(starts, all<D>(pass.time) + until, notes[k].when);
    }
    if (any(strikes)) notes[k].struck = pick(strikes, one, notes[k].struck), c.struck = true;
    const Lanes<D> change = after - before;
    Lanes<D> impulse[D];
    for (int i = 0; i < D; ++i) impulse[i] = c.normal[i] * change;
    for (int i = 0; i < T; ++i) turn_a[i] *= change, turn_b[i] *= change;
    a.give(minus, impulse, turn_a), b.give(one, impulse, turn_b);
  }
  if (pass.separate && any(pushed))
    for (std::uint32_t k = 0; k < kLanes<D>; ++k)
      if (pushed.part[k / 4][k % 4] != 0) moving[c.a[k]].pushed = moving[c.b[k]].pushed = true;
  for (std::uint32_t k = 0; k < c.count; ++k) {
    WidePoint<D>& p = points[k];
    const Lanes<D> most = c.friction * p.push;
    Lanes<D> v[D];
    for (int i = 0; i < D; ++i) arm_b[i] = p.arm[i] + c.between[i], v[i] = b.velocity()[i];
    add_turning(b.spin(), arm_b, one, v);
    for (int i = 0; i < D; ++i) v[i] -= a.velocity()[i];
    add_turning(a.spin(), p.arm, minus, v);
    for (int i = 0; i < D; ++i) v[i] += c.surface[i];
    const Lanes<D> off = dot<D>(c.normal, v);
    Lanes<D> wanted[D], change[D];
    for (int i = 0; i < D; ++i) wanted[i] = p.drag[i] - (v[i] - c.normal[i] * off) * p.across;
    const Lanes<D> length = dot<D>(wanted, wanted);
    const Mask<D> slides = length > most * most;
    if (any(slides)) {
      const Lanes<D> part = pick(slides, most / root(length), one);
      for (int i = 0; i < D; ++i) wanted[i] *= part;
    }
    for (int i = 0; i < D; ++i) {
      wanted[i] = pick(counts, wanted[i], p.drag[i]);
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
void warm_some(WideContact<D>& c, WidePoint<D>* points, Moving<D>* moving) {
  constexpr int T = kTurns<D>;
  const Mask<D> counts = counting(c, moving);
  const Lanes<D> zero = all<D>(0);
  Lanes<D> sum[D], turning_a[T], turning_b[T];
  for (Lanes<D>& x : sum) x = zero;
  for (int i = 0; i < T; ++i) turning_a[i] = turning_b[i] = zero;
  Mask<D> some = zero > all<D>(1);
  for (std::uint32_t k = 0; k < c.count; ++k) {
    WidePoint<D>& p = points[k];
    const Mask<D> pushes = counts & (p.push > zero);
    const Mask<D> keeps = pushes | ~counts;
    some |= pushes;
    Lanes<D> impulse[D], turn[T];
    for (int i = 0; i < D; ++i) {
      p.drag[i] = pick(keeps, p.drag[i], zero);
      impulse[i] = pick(pushes, c.normal[i] * p.push + p.drag[i], zero);
      sum[i] += impulse[i];
    }
    torque(p.arm, impulse, turn);
    for (int i = 0; i < T; ++i) turning_a[i] += turn[i];
    Lanes<D> arm_b[D];
    for (int i = 0; i < D; ++i) arm_b[i] = p.arm[i] + c.between[i];
    torque(arm_b, impulse, turn);
    for (int i = 0; i < T; ++i) turning_b[i] += turn[i];
  }
  if (!any(some)) return;
  Bodies<D> a, b;
  a.load(moving, c.a), b.load(moving, c.b);
  a.give(all<D>(-1), sum, turning_a), b.give(all<D>(1), sum, turning_b);
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
void push_all(WideContact<D>* first, WideContact<D>* last, WidePoint<D>* points, WideNote<D>* notes, Moving<D>* moving,
              const Pass& pass) {
  for (; first != last; ++first) {
    if (last - first > 1) fetch(first[1], moving);
    push_some(*first, points + first->first, notes + first->first, moving, pass);
  }
}
template <int D>
void warm_all(WideContact<D>* first, WideContact<D>* last, WidePoint<D>* points, Moving<D>* moving) {
  for (; first != last; ++first) {
    if (last - first > 1) fetch(first[1], moving);
    warm_some(*first, points + first->first, moving);
  }
}

void push_2(WideContact<2>* first, WideContact<2>* last, WidePoint<2>* points, WideNote<2>* notes, Moving<2>* moving,
            const Pass& pass) {
  push_all(first, last, points, notes, moving, pass);
}
void push_3(WideContact<3>* first, WideContact<3>* last, WidePoint<3>* points, WideNote<3>* notes, Moving<3>* moving,
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
