// Vectors of eight numbers, and the bodies of a batch in them. Included once for each instruction
// set, as Highway requires.
#if defined(COLVIK_SIMD_BODIES) == defined(HWY_TARGET_TOGGLE)
#ifdef COLVIK_SIMD_BODIES
#undef COLVIK_SIMD_BODIES
#else
#define COLVIK_SIMD_BODIES
#endif

#include <hwy/highway.h>

#include <cmath>
#include <cstddef>
#include <cstring>

#include "dynamics/simd_contacts.h"
#include "math/fetch.h"

// Vectors are passed within one file only.
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

// g++ 12 would pass these through memory.
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
HWY_INLINE Four widen(const FourSingle& x) {
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
HWY_INLINE Four widen(const FourSingle& x) { return __builtin_convertvector(x, Four); }
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

// Bodies as structure of arrays: the first numbers of Moving, number by number.
template <int D>
struct Bodies {
  // Velocity and spin, in double precision, followed by singles;.
  static constexpr int kDoubles = D + kTurns<D>;
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
        const double* const* of = row + std::ptrdiff_t{4} * h;
        turn(four(of[0], g), four(of[1], g), four(of[2], g), four(of[3], g),
             exact[h] + std::ptrdiff_t{4} * g);
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
    std::memcpy(&x, reinterpret_cast<const float*>(body + kDoubles) + std::ptrdiff_t{4} * group,
                sizeof x);
    std::memcpy(&y, reinterpret_cast<const float*>(other + kDoubles) + std::ptrdiff_t{4} * group,
                sizeof y);
    return __builtin_shufflevector(x, y, 0, 1, 2, 3, 4, 5, 6, 7);
  }
  HWY_INLINE void add(int number, const Lanes& x) {
    exact[0][number] += widen(__builtin_shufflevector(x, x, 0, 1, 2, 3));
    exact[1][number] += widen(__builtin_shufflevector(x, x, 4, 5, 6, 7));
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
HWY_INLINE Mask counting(const SimdContact<D>& c, const Moving<D>* moving) {
  Lanes acts = all(1);
  for (std::uint32_t k = 0; c.guard && k < kLanes; ++k) {
    const Moving<D>& a = moving[c.a[k]];
    const Moving<D>& b = moving[c.b[k]];
    acts[k] = a.pushed || b.pushed || a.hit || b.hit ? 1 : 0;
  }
  return acts > all(0);
}

template <int D>
void end_substep(SimdContact<D>& c, SimdPoint<D>* points, SimdNote<D>* notes) {
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
HWY_INLINE void arms(const SimdContact<D>& c, const SimdPoint<D>& p, Lanes (&arm_a)[D],
                     Lanes (&arm_b)[D]) {
  for (int i = 0; i < D; ++i) {
    arm_a[i] = p.arm[i] + c.from_a[i];
    arm_b[i] = p.arm[i] + c.from_b[i];
  }
}

// Velocities while a contact is worked on: of b against a, of each one's turning, and what they
// were given.
template <int D>
struct RelativeMotion {
  static constexpr int T = kTurns<D>;
  const Bodies<D>& a;
  const Bodies<D>& b;
  Lanes velocity[D];
  Lanes spin_a[T];
  Lanes spin_b[T];
  Lanes impulse[D];
  Lanes spun_a[T];
  Lanes spun_b[T];

  HWY_INLINE RelativeMotion(const Bodies<D>& first, const Bodies<D>& second) : a(first), b(second) {
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

}  // namespace colvik::dynamics::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#endif  // once for each target
