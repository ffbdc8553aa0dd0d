#pragma once
// Random numbers with a seed, the same on every machine, and how many of them a run requests.
#include <colvik/colvik.hpp>

#include <cstdlib>

namespace colvik::test {

// Random programs run at full size on request, at a hundredth otherwise.
inline int scaled(int full) {
  const char* requested = std::getenv("COLVIK_LONG");
  return requested != nullptr && requested[0] == '1' ? full : full / 100;
}

// Reproducible on every machine, unlike the distributions of <random>.
class Random {
 public:
  explicit Random(std::uint64_t seed) : state_(seed * 0x9e3779b97f4a7c15ULL + 1) {}
  std::uint64_t bits() {
    state_ += 0x9e3779b97f4a7c15ULL;
    std::uint64_t z = state_;
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ULL;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebULL;
    return z ^ (z >> 31);
  }
  double unit() { return static_cast<double>(bits() >> 11) * 0x1p-53; }
  double range(double lo, double hi) { return lo + (hi - lo) * unit(); }
  int below(int n) { return static_cast<int>(bits() % static_cast<std::uint64_t>(n)); }
  bool coin(double chance = 0.5) { return unit() < chance; }
  template <int D>
  Vec<D> vec(double most) {
    Vec<D> v;
    for (int i = 0; i < D; ++i) v[i] = range(-most, most);
    return v;
  }
  template <int D>
  Vec<D> direction() {
    for (;;) {
      const Vec<D> v = vec<D>(1);
      if (v.norm() > 0.1 && v.norm() <= 1) return v.normalized();
    }
  }
  template <int D>
  Rotation<D> rotation() {
    if constexpr (D == 2) return Rotation<2>(range(-kPi, kPi));
    else return Rotation<3>(direction<3>(), range(-kPi, kPi));
  }
  // A ball, box or capsule; sizes spread over three decades.
  template <int D>
  Shape<D> shape(double scale = 1) {
    const auto size = [&] { return scale * std::exp(range(-3, 3)); };
    Shape<D> s;
    switch (below(3)) {
      case 0: s.radius = size(); break;
      case 1:
        s.kind = ShapeKind::box;
        for (int i = 0; i < D; ++i) s.core[i] = size();
        break;
      default: {
        const double width = size();
        s = capsule<D>(width, width + size());
      }
    }
    return s;
  }

 private:
  std::uint64_t state_;
};

}  // namespace colvik::test
