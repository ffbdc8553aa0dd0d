#pragma once
// Values of a recording's lines, checked: what they are not is thrown as Wrong.
#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace colvik::recording {

struct Wrong {
  std::string what;
  std::string accepted;
};

inline std::vector<std::byte> bytes_of(const std::string& digits) {
  std::vector<std::byte> out(digits.size() / 2);
  for (std::size_t i = 0; i < out.size(); ++i) {
    unsigned value = 0;
    const char* const from = digits.data() + 2 * i;
    if (std::from_chars(from, from + 2, value, 16).ptr != from + 2)
      throw Wrong{"has digits that are not hexadecimal", "0-9 and a-f, in twos"};
    out[i] = static_cast<std::byte>(value);
  }
  return out;
}

// The value of an enum that has this name.
template <class E>
E named(const nlohmann::json& name, E last) {
  const auto& text = name.get_ref<const std::string&>();
  for (int i = 0; i <= static_cast<int>(last); ++i)
    if (name_of(static_cast<E>(i)) == text) return static_cast<E>(i);
  throw Wrong{fmt::format("has an unknown '{}'", text), "one of the names in docs/recording.md"};
}

inline double finite(const nlohmann::json& number) {
  const double value = number.get<double>();
  if (!std::isfinite(value)) throw Wrong{"has a number that is not finite", "a finite one"};
  return value;
}

inline double positive(const nlohmann::json& number) {
  const double value = finite(number);
  if (value <= 0) throw Wrong{fmt::format("has {:g}", value), "a number above 0"};
  return value;
}

inline double scale(const nlohmann::json& number) {
  const double value = finite(number);
  if (!(value >= 1e-9 && value <= 1e6))
    throw Wrong{fmt::format("has a scale of {:g}", value), "1e-9 to 1e6"};
  return value;
}

}  // namespace colvik::recording
