#pragma once
// Shared by the readers of starts, effects and expectations.
#include <fmt/format.h>

#include <algorithm>

#include "scene/scene_reader.h"

namespace colvik::scene {

template <int D>
[[nodiscard]] Direction padded(const Vec<D>& v) {
  Direction d = kZero;
  d.head<D>() = v;
  return d;
}

// Of `frame = "own"`.
[[nodiscard]] inline bool in_own_frame(const Section& s) {
  static const std::vector<std::string> frames{"world", "own"};
  return s.choice("frame", frames).value_or(0) == 1;
}

// Reports a key that belongs to other things than `what`.
inline void report_key(const Section& s, std::string_view key, std::string_view what,
                       std::span<const std::string_view> fitting) {
  if (s.has(key) && std::find(fitting.begin(), fitting.end(), what) == fitting.end())
    s.context().report(*s.find(key), fmt::format("'{}' says nothing about {}", key, what),
                       fmt::format("with {}", fmt::join(fitting, " or ")));
}

}  // namespace colvik::scene
