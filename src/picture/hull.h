#pragma once
#include <colvik/pose.hpp>

#include <algorithm>
#include <vector>

namespace colvik::picture {

// Corners of the convex hull, in order (Andrew, "Another efficient algorithm for convex hulls",
// 1979).
inline std::vector<Vec<2>> hull(std::vector<Vec<2>> p) {
  std::sort(p.begin(), p.end(), [](const Vec<2>& a, const Vec<2>& b) {
    return std::pair(a.x(), a.y()) < std::pair(b.x(), b.y());
  });
  const auto turn = [](const Vec<2>& a, const Vec<2>& b, const Vec<2>& c) {
    return torque(Vec<2>(b - a), Vec<2>(c - a))[0];
  };
  std::vector<Vec<2>> out;
  for (int pass = 0; pass < 2; ++pass) {
    const std::size_t start = out.size();
    for (const Vec<2>& q : p) {
      while (out.size() >= start + 2 && turn(out[out.size() - 2], out.back(), q) <= 0)
        out.pop_back();
      out.push_back(q);
    }
    out.pop_back();
    std::reverse(p.begin(), p.end());
  }
  return out;
}

}  // namespace colvik::picture
