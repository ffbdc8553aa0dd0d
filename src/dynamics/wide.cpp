#include "dynamics/wide.h"

#include "math/fetch.h"
#include "math/targets.h"
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "dynamics/wide.cpp"
#include <hwy/foreach_target.h>  // NOLINT: includes this file once for each
#include <hwy/highway.h>

#include <cmath>
#include <cstddef>
#include <cstring>

// Vectors are handed on within this file alone.
#pragma GCC diagnostic ignored "-Wpsabi"

HWY_BEFORE_NAMESPACE();
namespace colvik::dynamics::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

template <int D>
inline constexpr int kTurns = kTurnAxes<D>;

using Four = double __attribute__((vector_size(32), aligned(32)));
using FourSingle = float __attribute__((vector_size(16), aligned(16)));
using Mask = decltype(Lanes{} < Lanes{});

HWY_INLINE Lanes all(double x) {
  const auto one = static_cast<float>(x);
  return Lanes{one, one, one, one, one, one, one, one};
}
// By lane: x where m is set, else y.
HWY_INLINE Lanes pick(const Mask& m, const Lanes& x, const Lanes& y) { return m ? x : y; }
HWY_INLINE Lanes larger(const Lanes& x, const Lanes& y) { return x > y ? x : y; }
HWY_INLINE Lanes smaller(const Lanes& x, const Lanes& y) { return x < y ? x : y; }

// g++ 12 would do these by way of memory.
#if HWY_ARCH_X86 && HWY_MAX_BYTES >= 32
template <class T, std::size_t N>
using Of = hn::Vec<hn::FixedTag<T, N>>;
HWY_INLINE bool any(const Mask& m) {
  const hn::FixedTag<float, kLanes> tag;
  return !hn::AllFalse(tag, hn::MaskFromVec(Of<float, kLanes>{__builtin_bit_cast(__m256, m)}));
}
HWY_INLINE Lanes root(const Lanes& x) {
  return __builtin_bit_cast(Lanes, hn::Sqrt(Of<float, kLanes>{__builtin_bit_cast(__m256, x)}).raw);
}
HWY_INLINE Four wide(const FourSingle& x) {
  return __builtin_bit_cast(
      Four,
      hn::PromoteTo(hn::FixedTag<double, 4>(), Of<float, 4>{__builtin_bit_cast(__m128, x)}).raw);
}
HWY_INLINE FourSingle narrow(const Four& x) {
  return __builtin_bit_cast(
      FourSingle,
      hn::DemoteTo(hn::FixedTag<float, 4>(), Of<double, 4>{__builtin_bit_cast(__m256d, x)}).raw);
}
#else
HWY_INLINE bool any(const Mask& m) {
  int some = 0;
  for (std::uint32_t k = 0; k < kLanes; ++k) some |= m[k];
  return some != 0;
}
HWY_INLINE Lanes root(const Lanes& x) {
  Lanes out;
  for (std::uint32_t k = 0; k < kLanes; ++k) out[k] = std::sqrt(x[k]);
  return out;
}
HWY_INLINE Four wide(const FourSingle& x) { return __builtin_convertvector(x, Four); }
HWY_INLINE FourSingle narrow(const Four& x) { return __builtin_convertvector(x, FourSingle); }
#endif
HWY_INLINE Lanes narrow(const Four& low, const Four& high) {
  return __builtin_shufflevector(narrow(low), narrow(high), 0, 1, 2, 3, 4, 5, 6, 7);
}

template <int N>
HWY_INLINE Lanes dot(const Lanes* x, const Lanes* y) {
  Lanes sum = x[0] * y[0];
  for (int i = 1; i < N; ++i) sum += x[i] * y[i];
  return sum;
}
HWY_INLINE void torque(const Lanes (&r)[2], const Lanes (&f)[2], Lanes (&out)[1]) {
  out[0] = r[0] * f[1] - r[1] * f[0];
}
HWY_INLINE void torque(const Lanes (&r)[3], const Lanes (&f)[3], Lanes (&out)[3]) {
  out[0] = r[1] * f[2] - r[2] * f[1];
  out[1] = r[2] * f[0] - r[0] * f[2];
  out[2] = r[0] * f[1] - r[1] * f[0];
}
// The velocity at an arm that is due to a spin.
HWY_INLINE void turning(const Lanes (&w)[1], const Lanes (&r)[2], Lanes (&out)[2]) {
  out[0] = -(w[0] * r[1]);
  out[1] = w[0] * r[0];
}
HWY_INLINE void turning(const Lanes (&w)[3], const Lanes (&r)[3], Lanes (&out)[3]) {
  torque(w, r, out);
}

// Bodies side by side: the first numbers of Moving, number by number.
template <int D>
struct Bodies {
  static constexpr int kDoubles =
      D + kTurns<D>;  // velocity and spin, in double precision, followed by singles;
  static constexpr int kGroups = (kDoubles + 3) / 4;           // read in fours
  static constexpr std::uint32_t kWhole = (1U << kLanes) - 1;  // all lanes
  static constexpr int kSingles = Narrow<D>::kCount;
  static constexpr int kSingleGroups = (kSingles + 3) / 4;
  Four exact[2][4 * kGroups];  // of half of the lanes; the last hold the bits of singles
  Lanes single[kSingles];

  [[nodiscard]] const Lanes* inverse_mass() const { return single; }
  [[nodiscard]] const Lanes* offset() const { return single + D; }
  [[nodiscard]] const Lanes* angle() const { return single + 2 * D; }

  HWY_INLINE void load(const Moving<D>* moving, const std::uint32_t (&who)[kLanes]) {
    static_assert(offsetof(Moving<D>, narrow) == kDoubles * sizeof(double));
    const double* row[kLanes];
    for (std::uint32_t k = 0; k < kLanes; ++k) row[k] = moving[who[k]].velocity.data();
#pragma GCC unroll 2
    for (int h = 0; h < 2; ++h)
#pragma GCC unroll 2
      for (int g = 0; g < kGroups; ++g) {
        const double* const* of = row + 4 * h;
        turn(four(of[0], g), four(of[1], g), four(of[2], g), four(of[3], g), exact[h] + 4 * g);
      }
#pragma GCC unroll 4
    for (int g = 0; g < kSingleGroups; ++g) {
      Lanes out[4];
      turn(singles(row[0], row[4], g), singles(row[1], row[5], g), singles(row[2], row[6], g),
           singles(row[3], row[7], g), out);
      for (int k = 0; k < 4 && 4 * g + k < kSingles; ++k) single[4 * g + k] = out[k];
    }
  }
  // The velocities, and what follows them unchanged, of the lanes whose bits are set.
  HWY_INLINE void store(Moving<D>* moving, const std::uint32_t (&who)[kLanes],
                        std::uint32_t moves) const {
    Four row[2][4 * kGroups];
#pragma GCC unroll 2
    for (int h = 0; h < 2; ++h)
#pragma GCC unroll 2
      for (int g = 0; g < kGroups; ++g) {
        const Four* x = exact[h] + 4 * g;
        turn(x[0], x[1], x[2], x[3], row[h] + 4 * g);
      }
    const auto write = [&](std::uint32_t k) HWY_ATTR {
#pragma GCC unroll 2
      for (int g = 0; g < kGroups; ++g)
        reinterpret_cast<Same*>(moving[who[k]].velocity.data())[g] =
            row[k / 4][4 * g + static_cast<int>(k % 4)];
    };
    if (moves == kWhole) {
#pragma GCC unroll 8
      for (std::uint32_t k = 0; k < kLanes; ++k) write(k);
    } else {
      for (std::uint32_t k = 0; k < kLanes; ++k)
        if ((moves >> k & 1U) != 0) write(k);
    }
  }
  HWY_INLINE void spin(Lanes (&out)[kTurns<D>]) const {
    for (int i = 0; i < kTurns<D>; ++i) out[i] = narrow(exact[0][D + i], exact[1][D + i]);
  }
  // The change of spin by an impulse of this torque.
  HWY_INLINE void turned_by(const Lanes (&torque)[kTurns<D>], Lanes (&out)[kTurns<D>]) const {
    const Lanes* inertia = single + 2 * D + kTurns<D>;
    if constexpr (D == 2) {
      out[0] = inertia[0] * torque[0];
    } else {
      out[0] = inertia[0] * torque[0] + inertia[1] * torque[1] + inertia[2] * torque[2];
      out[1] = inertia[1] * torque[0] + inertia[3] * torque[1] + inertia[4] * torque[2];
      out[2] = inertia[2] * torque[0] + inertia[4] * torque[1] + inertia[5] * torque[2];
    }
  }
  // An impulse, times sign, and a change of spin.
  HWY_INLINE void give(double sign, const Lanes (&impulse)[D], const Lanes (&spun)[kTurns<D>]) {
    for (int i = 0; i < D; ++i) add(i, all(sign) * (inverse_mass()[i] * impulse[i]));
    for (int i = 0; i < kTurns<D>; ++i) add(D + i, all(sign) * spun[i]);
  }

 private:
  // Four of the numbers of a body, which begins on a line of memory.
  using Same = double __attribute__((vector_size(32), aligned(32), may_alias));
  HWY_INLINE static Four four(const double* body, int group) {
    return reinterpret_cast<const Same*>(body)[group];
  }
  // Four singles of each of two bodies; they do not lie on a boundary of their size.
  HWY_INLINE static Lanes singles(const double* body, const double* other, int group) {
    FourSingle x;
    FourSingle y;
    std::memcpy(&x, reinterpret_cast<const float*>(body + kDoubles) + 4 * group, sizeof x);
    std::memcpy(&y, reinterpret_cast<const float*>(other + kDoubles) + 4 * group, sizeof y);
    return __builtin_shufflevector(x, y, 0, 1, 2, 3, 4, 5, 6, 7);
  }
  HWY_INLINE void add(int number, const Lanes& x) {
    exact[0][number] += wide(__builtin_shufflevector(x, x, 0, 1, 2, 3));
    exact[1][number] += wide(__builtin_shufflevector(x, x, 4, 5, 6, 7));
  }
  // Rows to columns.
  HWY_INLINE static void turn(const Four& x, const Four& y, const Four& z, const Four& w,
                              Four* out) {
    const Four a = __builtin_shufflevector(x, y, 0, 4, 2, 6);
    const Four b = __builtin_shufflevector(x, y, 1, 5, 3, 7);
    const Four c = __builtin_shufflevector(z, w, 0, 4, 2, 6);
    const Four d = __builtin_shufflevector(z, w, 1, 5, 3, 7);
    out[0] = __builtin_shufflevector(a, c, 0, 1, 4, 5);
    out[1] = __builtin_shufflevector(b, d, 0, 1, 4, 5);
    out[2] = __builtin_shufflevector(a, c, 2, 3, 6, 7);
    out[3] = __builtin_shufflevector(b, d, 2, 3, 6, 7);
  }
  // The same in each half.
  HWY_INLINE static void turn(const Lanes& x, const Lanes& y, const Lanes& z, const Lanes& w,
                              Lanes* out) {
    const Lanes a = __builtin_shufflevector(x, y, 0, 8, 1, 9, 4, 12, 5, 13);
    const Lanes b = __builtin_shufflevector(x, y, 2, 10, 3, 11, 6, 14, 7, 15);
    const Lanes c = __builtin_shufflevector(z, w, 0, 8, 1, 9, 4, 12, 5, 13);
    const Lanes d = __builtin_shufflevector(z, w, 2, 10, 3, 11, 6, 14, 7, 15);
    out[0] = __builtin_shufflevector(a, c, 0, 1, 8, 9, 4, 5, 12, 13);
    out[1] = __builtin_shufflevector(a, c, 2, 3, 10, 11, 6, 7, 14, 15);
    out[2] = __builtin_shufflevector(b, d, 0, 1, 8, 9, 4, 5, 12, 13);
    out[3] = __builtin_shufflevector(b, d, 2, 3, 10, 11, 6, 7, 14, 15);
  }
};

template <int D>
HWY_INLINE Mask counting(const WideContact<D>& c, const Moving<D>* moving) {
  Lanes acts = all(1);
  for (std::uint32_t k = 0; c.guard && k < kLanes; ++k) {
    const Moving<D>& a = moving[c.a[k]];
    const Moving<D>& b = moving[c.b[k]];
    acts[k] = a.pushed || b.pushed || a.hit || b.hit ? 1 : 0;
  }
  return acts > all(0);
}

template <int D>
void end_substep(WideContact<D>& c, WidePoint<D>* points, WideNote<D>* notes) {
  for (std::uint32_t k = 0; k < c.count; ++k) notes[k].total_push += points[k].push;
  if (!c.struck) return;
  const Lanes zero = all(0);
  for (std::uint32_t k = 0; k < c.count; ++k) {
    const Mask lasts = notes[k].struck == zero;
    points[k].push = pick(lasts, points[k].push, zero);
    for (Lanes& drag : points[k].drag) drag = pick(lasts, drag, zero);
    notes[k].struck = zero;
  }
  c.struck = false;
}

// Of a point, from the centres of mass.
template <int D>
HWY_INLINE void arms(const WideContact<D>& c, const WidePoint<D>& p, Lanes (&arm_a)[D],
                     Lanes (&arm_b)[D]) {
  for (int i = 0; i < D; ++i) {
    arm_a[i] = p.arm[i] + c.from_a[i];
    arm_b[i] = p.arm[i] + c.from_b[i];
  }
}

// Velocities while a contact is worked on: of b against a, of each one's turning, and what they
// were given.
template <int D>
struct Meeting {
  static constexpr int T = kTurns<D>;
  const Bodies<D>& a;
  const Bodies<D>& b;
  Lanes velocity[D];
  Lanes spin_a[T];
  Lanes spin_b[T];
  Lanes impulse[D];
  Lanes spun_a[T];
  Lanes spun_b[T];

  HWY_INLINE Meeting(const Bodies<D>& first, const Bodies<D>& second) : a(first), b(second) {
    for (int i = 0; i < D; ++i) {
      velocity[i] = narrow(b.exact[0][i] - a.exact[0][i], b.exact[1][i] - a.exact[1][i]);
      impulse[i] = all(0);
    }
    a.spin(spin_a);
    b.spin(spin_b);
    for (int i = 0; i < T; ++i) spun_a[i] = spun_b[i] = all(0);
  }
  HWY_INLINE void give(const Lanes (&push)[D], const Lanes (&turn_a)[T], const Lanes (&turn_b)[T]) {
    for (int i = 0; i < D; ++i) {
      impulse[i] += push[i];
      velocity[i] += (a.inverse_mass()[i] + b.inverse_mass()[i]) * push[i];
    }
    for (int i = 0; i < T; ++i) {
      spun_a[i] += turn_a[i];
      spun_b[i] += turn_b[i];
      spin_a[i] -= turn_a[i];
      spin_b[i] += turn_b[i];
    }
  }
};

template <int D>
void push_some(WideContact<D>& c, WidePoint<D>* points, WideNote<D>* notes, Moving<D>* moving,
               const Pass& pass) {
  constexpr int T = kTurns<D>;
  const Mask counts = counting(c, moving);
  if (c.guard && !any(counts)) {
    if (pass.last) end_substep(c, points, notes);
    return;
  }
  const Lanes zero = all(0);
  const Lanes one = all(1);
  Bodies<D> a;
  Bodies<D> b;
  a.load(moving, c.a);
  b.load(moving, c.b);
  Meeting<D> now(a, b);
  Lanes way[D];
  Lanes arm_a[D];
  Lanes arm_b[D];
  Lanes turn_a[T];
  Lanes turn_b[T];
  Lanes spun_a[T];
  Lanes spun_b[T];
  for (int i = 0; i < D; ++i) way[i] = b.offset()[i] - a.offset()[i];
  const Lanes moved = dot<D>(c.normal, way);
  const Removal& removal = pass.removal;
  Mask pushed = zero > one;
  bool some_started = false;
  for (std::uint32_t k = 0; k < c.count; ++k) {
    WidePoint<D>& p = points[k];
    arms(c, p, arm_a, arm_b);
    torque(arm_a, c.normal, turn_a);
    torque(arm_b, c.normal, turn_b);
    a.turned_by(turn_a, spun_a);
    b.turned_by(turn_b, spun_b);
    const Lanes gap = p.gap + moved + dot<T>(turn_b, b.angle()) - dot<T>(turn_a, a.angle());
    const Mask open = gap > zero;
    const Lanes speed =
        dot<D>(c.normal, now.velocity) + dot<T>(turn_b, now.spin_b) - dot<T>(turn_a, now.spin_a);
    const Lanes closes = gap / all(removal.step);
    const Lanes before = p.push;
    Lanes after;
    if (pass.separate) {
      const Lanes opens =
          larger(all(removal.rate) * smaller(gap + all(removal.slop), zero), all(-removal.fastest));
      const Lanes bias = pick(open, closes, opens);
      const Lanes scale = pick(open, one, all(pass.soft_mass));
      const Lanes leak = pick(open, zero, all(pass.soft_leak));
      after = larger(before - p.mass * scale * (speed + bias) - leak * before, zero);
    } else {
      // What has not closed yet is the next substep's.
      after = larger(before - p.mass * (speed + pick(open, closes, zero)), zero);
      const Mask waits = open & (before == zero);
      after = pick(waits, before, after);
    }
    after = pick(counts, after, before);
    p.push = after;
    const Mask pushes = counts & (after > zero);
    pushed |= pushes;
    const Mask strikes = pushes & (before == zero) & (speed < all(-removal.strike));
    if (!c.begun) {
      const Mask starts = pushes & (notes[k].when < zero);
      if (any(starts)) {
        const Mask arrives = open & (speed < zero);
        const Lanes until = pick(arrives, smaller(gap / -speed, all(removal.step)), zero);
        notes[k].when = pick(starts, all(pass.time) + until, notes[k].when);
        some_started = true;
      }
    }
    if (any(strikes)) {
      notes[k].struck = pick(strikes, one, notes[k].struck);
      c.struck = true;
    }
    const Lanes change = after - before;
    Lanes impulse[D];
    for (int i = 0; i < D; ++i) impulse[i] = c.normal[i] * change;
    for (int i = 0; i < T; ++i) {
      spun_a[i] *= change;
      spun_b[i] *= change;
    }
    now.give(impulse, spun_a, spun_b);
  }
  if (some_started) {
    Mask waits = zero > one;
    for (std::uint32_t k = 0; k < c.count; ++k) waits |= notes[k].when < zero;
    c.begun = !any(waits);
  }
  if (pass.separate && any(pushed))
    for (std::uint32_t k = 0; k < kLanes; ++k) {
      if (pushed[k] == 0) continue;
      if ((c.moves_a >> k & 1U) != 0) moving[c.a[k]].pushed = true;
      if ((c.moves_b >> k & 1U) != 0) moving[c.b[k]].pushed = true;
    }
  for (std::uint32_t k = 0; k < c.count; ++k) {
    WidePoint<D>& p = points[k];
    const Lanes share =
        one / (c.friction * p.push);  // of what friction can do, for an impulse of one
    arms(c, p, arm_a, arm_b);
    Lanes v[D];
    Lanes turning_a[D];
    Lanes turning_b[D];
    turning(now.spin_a, arm_a, turning_a);
    turning(now.spin_b, arm_b, turning_b);
    for (int i = 0; i < D; ++i) v[i] = now.velocity[i] + turning_b[i] - turning_a[i] + c.surface[i];
    const Lanes off = dot<D>(c.normal, v);
    Lanes wanted[D];
    Lanes part[D];
    Lanes change[D];
    for (int i = 0; i < D; ++i) {
      wanted[i] = p.drag[i] - (v[i] - c.normal[i] * off) * p.across;
      part[i] = wanted[i] * share;
    }
    // Told as a share, whose square neither overflows nor vanishes. Without a push it is infinite,
    // or none of none.
    const Lanes length = dot<D>(part, part);
    const Mask slides = ~(length <= one);
    if (any(slides)) {
      const Lanes kept = pick(slides, pick(length > one, one / root(length), zero), one);
      for (int i = 0; i < D; ++i) wanted[i] *= kept;
    }
    for (int i = 0; i < D; ++i) {
      wanted[i] = pick(counts, wanted[i], p.drag[i]);
      change[i] = wanted[i] - p.drag[i];
      p.drag[i] = wanted[i];
    }
    torque(arm_a, change, turn_a);
    torque(arm_b, change, turn_b);
    a.turned_by(turn_a, spun_a);
    b.turned_by(turn_b, spun_b);
    now.give(change, spun_a, spun_b);
  }
  a.give(-1, now.impulse, now.spun_a);
  b.give(1, now.impulse, now.spun_b);
  a.store(moving, c.a, c.moves_a);
  b.store(moving, c.b, c.moves_b);
  if (pass.last) end_substep(c, points, notes);
}

template <int D>
void warm_some(WideContact<D>& c, WidePoint<D>* points, Moving<D>* moving) {
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
    WidePoint<D>& p = points[k];
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
  // How much velocity along another one's way an impulse along this one's gives by turning.
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
// long, and what slides is held back straight against its way.
template <int D>
void weigh_some(const WideContact<D>& c, WidePoint<D>* points, const Moving<D>* moving) {
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
    WidePoint<D>& p = points[k];
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
HWY_INLINE void fetch_ahead(const WideContact<D>* now, const WideContact<D>* last,
                            const WidePoint<D>* points, const Moving<D>* moving) {
  constexpr std::size_t kRead = offsetof(Moving<D>, narrow) + sizeof(Narrow<D>);
  if (last - now > 2)
    for (const auto* who : {&now[2].a, &now[2].b})
      for (const std::uint32_t body : *who) math::fetch(moving + body, kRead);
  if (last - now > 1) math::fetch(points + now[1].first, now[1].count * sizeof(WidePoint<D>));
}

template <int D>
void push_all(WideContact<D>* first, WideContact<D>* last, WidePoint<D>* points, WideNote<D>* notes,
              Moving<D>* moving, const Pass& pass) {
  for (; first != last; ++first) {
    fetch_ahead(first, last, points, moving);
    push_some(*first, points + first->first, notes + first->first, moving, pass);
  }
}
template <int D>
void warm_all(WideContact<D>* first, WideContact<D>* last, WidePoint<D>* points,
              Moving<D>* moving) {
  for (; first != last; ++first) {
    fetch_ahead(first, last, points, moving);
    warm_some(*first, points + first->first, moving);
  }
}

template <int D>
void weigh_all(const WideContact<D>* first, const WideContact<D>* last, WidePoint<D>* points,
               const Moving<D>* moving) {
  for (; first != last; ++first) {
    fetch_ahead(first, last, points, moving);
    weigh_some(*first, points + first->first, moving);
  }
}

void push_2(WideContact<2>* first, WideContact<2>* last, WidePoint<2>* points, WideNote<2>* notes,
            Moving<2>* moving, const Pass& pass) {
  push_all(first, last, points, notes, moving, pass);
}
void push_3(WideContact<3>* first, WideContact<3>* last, WidePoint<3>* points, WideNote<3>* notes,
            Moving<3>* moving, const Pass& pass) {
  push_all(first, last, points, notes, moving, pass);
}
void warm_2(WideContact<2>* first, WideContact<2>* last, WidePoint<2>* points, Moving<2>* moving) {
  warm_all(first, last, points, moving);
}
void warm_3(WideContact<3>* first, WideContact<3>* last, WidePoint<3>* points, Moving<3>* moving) {
  warm_all(first, last, points, moving);
}

void weigh_2(const WideContact<2>* first, const WideContact<2>* last, WidePoint<2>* points,
             const Moving<2>* moving) {
  weigh_all(first, last, points, moving);
}
void weigh_3(const WideContact<3>* first, const WideContact<3>* last, WidePoint<3>* points,
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
void Wide<2>::warm_some(std::size_t first, std::size_t last, std::span<Moving<2>> moving) {
  HWY_DYNAMIC_DISPATCH(warm_2)
  (contacts_.data() + first, contacts_.data() + last, points_.data(), moving.data());
}
template <>
void Wide<2>::weigh_some(std::size_t first, std::size_t last, std::span<const Moving<2>> moving) {
  HWY_DYNAMIC_DISPATCH(weigh_2)
  (contacts_.data() + first, contacts_.data() + last, points_.data(), moving.data());
}
template <>
void Wide<2>::push_some(std::size_t first, std::size_t last, std::span<Moving<2>> moving,
                        const Pass& pass) {
  HWY_DYNAMIC_DISPATCH(push_2)
  (contacts_.data() + first, contacts_.data() + last, points_.data(), notes_.data(), moving.data(),
   pass);
}
template <>
void Wide<3>::warm_some(std::size_t first, std::size_t last, std::span<Moving<3>> moving) {
  HWY_DYNAMIC_DISPATCH(warm_3)
  (contacts_.data() + first, contacts_.data() + last, points_.data(), moving.data());
}
template <>
void Wide<3>::weigh_some(std::size_t first, std::size_t last, std::span<const Moving<3>> moving) {
  HWY_DYNAMIC_DISPATCH(weigh_3)
  (contacts_.data() + first, contacts_.data() + last, points_.data(), moving.data());
}
template <>
void Wide<3>::push_some(std::size_t first, std::size_t last, std::span<Moving<3>> moving,
                        const Pass& pass) {
  HWY_DYNAMIC_DISPATCH(push_3)
  (contacts_.data() + first, contacts_.data() + last, points_.data(), notes_.data(), moving.data(),
   pass);
}
}  // namespace colvik::dynamics
#endif
