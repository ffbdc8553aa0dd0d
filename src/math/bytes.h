#pragma once
// Values to bytes and back, the same on every machine: little-endian, one function for both
// directions.
#include <colvik/pose.hpp>

#include <array>
#include <bit>
#include <cstddef>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace colvik::math {

/// A type takes part by a function  template <class A> void pack(A& a, T& x)  in its namespace that
/// calls a(...) with its members; the packer reads them, the unpacker sets them.
class Packer {
 public:
  static constexpr bool kUnpacks = false;
  template <class... T>
  void operator()(T&... x) {
    (one(x), ...);
  }
  /// Something shared is written once; `pack_new` writes what was not yet.
  template <class T, class PackNew>
  void shared(std::shared_ptr<const T>& x, PackNew&& pack_new) {
    std::uint32_t number = 0xffffffff;
    bool first = false;
    if (x != nullptr) {
      const auto [at, fresh] =
          known_.try_emplace(x.get(), static_cast<std::uint32_t>(known_.size()));
      number = at->second;
      first = fresh;
    }
    one(number);
    one(first);
    if (first) pack_new(const_cast<T&>(*x));  // packing only reads
  }
  void append(std::span<const std::byte> bytes) {
    bytes_.insert(bytes_.end(), bytes.begin(), bytes.end());
  }
  [[nodiscard]] std::vector<std::byte>& bytes() { return bytes_; }

 private:
  template <class T>
  void one(T& x);
  void raw(std::uint64_t bits, std::size_t count) {
    std::array<std::byte, 8> little;
    for (std::size_t i = 0; i < 8; ++i) little[i] = static_cast<std::byte>(bits >> (8 * i) & 0xff);
    bytes_.insert(bytes_.end(), little.begin(),
                  little.begin() + static_cast<std::ptrdiff_t>(count));
  }
  std::vector<std::byte> bytes_;
  std::map<const void*, std::uint32_t> known_;
};

class Unpacker {
 public:
  static constexpr bool kUnpacks = true;
  explicit Unpacker(std::span<const std::byte> bytes) : left_(bytes) {}
  template <class... T>
  void operator()(T&... x) {
    (one(x), ...);
  }
  template <class T, class PackNew>
  void shared(std::shared_ptr<const T>& x, PackNew&& pack_new) {
    std::uint32_t number = 0;
    bool first = false;
    one(number);
    one(first);
    if (first) {
      if (number != known_.size()) return fail();
      auto made = std::make_shared<T>();
      known_.push_back(made);
      pack_new(*made);
      x = made;
    } else if (number == 0xffffffffU) {
      x = nullptr;
    } else if (number < known_.size()) {
      x = std::static_pointer_cast<const T>(known_[number]);
    } else {
      fail();
    }
  }
  /// Whether everything so far was there and made sense.
  [[nodiscard]] bool good() const { return good_; }
  [[nodiscard]] bool empty() const { return left_.empty(); }
  void fail() { good_ = false; }

 private:
  template <class T>
  void one(T& x);
  std::uint64_t raw(int count) {
    if (left_.size() < static_cast<std::size_t>(count)) {
      fail();
      left_ = {};
      return 0;
    }
    std::uint64_t bits = 0;
    for (int i = 0; i < count; ++i)
      bits |= std::to_integer<std::uint64_t>(left_[static_cast<std::size_t>(i)]) << (8 * i);
    left_ = left_.subspan(static_cast<std::size_t>(count));
    return bits;
  }
  std::span<const std::byte> left_;
  std::vector<std::shared_ptr<const void>> known_;
  bool good_ = true;
};

namespace packing {

template <class T>
struct IsVector : std::false_type {};
template <class T, class A>
struct IsVector<std::vector<T, A>> : std::true_type {};
template <class T>
struct IsOptional : std::false_type {};
template <class T>
struct IsOptional<std::optional<T>> : std::true_type {};
template <class T>
struct IsArray : std::false_type {};
template <class T, std::size_t N>
struct IsArray<std::array<T, N>> : std::true_type {};
template <class T>
struct IsEigen : std::false_type {};
template <int R, int C, int O>
struct IsEigen<Eigen::Matrix<double, R, C, O>> : std::true_type {};
template <class T>
struct IsRotation : std::false_type {};
template <int D>
struct IsRotation<Rotation<D>> : std::true_type {};

template <class T>
struct IsByte : std::bool_constant<sizeof(T) == 1 && (std::is_integral_v<T> || std::is_enum_v<T>)> {
};

template <class A, class T>
void each(A& a, T& x) {
  if constexpr (std::is_same_v<T, std::string> || IsVector<T>::value) {
    std::uint64_t size = x.size();
    a(size);
    if constexpr (A::kUnpacks) {
      x.clear();
      for (std::uint64_t i = 0; i < size && a.good(); ++i) {
        typename T::value_type item{};
        a(item);
        x.push_back(std::move(item));
      }
    } else if constexpr (IsByte<typename T::value_type>::value) {
      a.append(std::as_bytes(std::span(x)));
    } else {
      for (auto& item : x) a(item);
    }
  } else if constexpr (IsOptional<T>::value) {
    bool there = x.has_value();
    a(there);
    if constexpr (A::kUnpacks) {
      if (there) x.emplace();
      else x.reset();
    }
    if (there) a(*x);
  } else if constexpr (IsArray<T>::value) {
    for (auto& item : x) a(item);
  } else if constexpr (IsEigen<T>::value) {
    for (Eigen::Index i = 0; i < x.size(); ++i) a(*(x.data() + i));
  } else if constexpr (IsRotation<T>::value) {
    auto numbers = std::bit_cast<std::array<double, sizeof(T) / sizeof(double)>>(x);
    a(numbers);
    if constexpr (A::kUnpacks) x = std::bit_cast<T>(numbers);
  } else {
    pack(a, x);
  }
}

}  // namespace packing

template <class T>
void Packer::one(T& x) {
  if constexpr (std::is_same_v<T, bool>) raw(x ? 1 : 0, 1);
  else if constexpr (std::is_enum_v<T>) raw(static_cast<std::uint64_t>(x), 1);
  else if constexpr (std::is_same_v<T, double>) raw(std::bit_cast<std::uint64_t>(x), 8);
  else if constexpr (std::is_integral_v<T>) raw(static_cast<std::uint64_t>(x), sizeof(T));
  else packing::each(*this, x);
}
template <class T>
void Unpacker::one(T& x) {
  if constexpr (std::is_same_v<T, bool>) x = raw(1) != 0;
  else if constexpr (std::is_enum_v<T>) x = static_cast<T>(raw(1));
  else if constexpr (std::is_same_v<T, double>) x = std::bit_cast<double>(raw(8));
  else if constexpr (std::is_integral_v<T>) x = static_cast<T>(raw(sizeof(T)));
  else packing::each(*this, x);
}

/// Bytes with a head (what they are, version, how many) and a checksum at the end.
[[nodiscard]] std::vector<std::byte> sealed(std::string_view what, std::uint32_t version,
                                            std::vector<std::byte> bytes);
/// The checksum of what sealed() gave, a hash of all of it.
[[nodiscard]] std::uint64_t checksum(std::span<const std::byte> sealed);
/// What is inside, or what is wrong with it.
struct Opened {
  std::span<const std::byte> inside;
  std::string wrong;
  std::string accepted;
};
[[nodiscard]] Opened opened(std::string_view what, std::uint32_t version,
                            std::span<const std::byte> bytes);

}  // namespace colvik::math

namespace colvik {
template <class A, int D>
void pack(A& a, Bounds<D>& b) {
  a(b.lo, b.hi);
}
template <class A, int D>
void pack(A& a, Pose<D>& p) {
  a(p.position, p.rotation);
}
}  // namespace colvik
