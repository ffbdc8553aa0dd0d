#pragma once
// A running hash of a state, the same on every machine.
#include <colvik/vector.hpp>

#include <bit>
#include <cstdint>
#include <string_view>

namespace colvik::math {

class Hasher {
 public:
  void add(std::uint64_t x) {
    // The finalizer of splitmix64 (Steele, Lea and Flood, 2014) over the running value.
    x += state_ * 0x9e3779b97f4a7c15ULL + 0x9e3779b97f4a7c15ULL;
    x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9ULL;
    x = (x ^ (x >> 27)) * 0x94d049bb133111ebULL;
    state_ = x ^ (x >> 31);
  }
  void add(double x) { add(std::bit_cast<std::uint64_t>(x)); }
  void add(std::string_view text) {
    add(std::uint64_t{text.size()});
    for (const char c : text) add(std::uint64_t{static_cast<unsigned char>(c)});
  }
  template <int R>
  void add(const Eigen::Matrix<double, R, 1, Eigen::DontAlign>& v) {
    for (int i = 0; i < R; ++i) add(v[i]);
  }
  [[nodiscard]] std::uint64_t value() const { return state_; }

 private:
  std::uint64_t state_ = 0;
};

}  // namespace colvik::math
