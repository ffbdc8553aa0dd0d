#pragma once
// Scene text for both dimensions.
#include <string>

namespace colvik::test {

// Scene text with vectors written for the dimension: "<1 2>" becomes [1, 2] or [1, 2, 0]; "<*1>"
// has 1 everywhere, and BALL is circle or sphere.
template <int D>
std::string spelled(std::string text) {
  for (std::size_t at = 0; (at = text.find('<', at)) != std::string::npos;) {
    const std::size_t end = text.find('>', at);
    std::string inside = text.substr(at + 1, end - at - 1);
    std::string out;
    if (inside.starts_with('*')) {
      for (int i = 0; i < D; ++i) out += (i > 0 ? ", " : "") + inside.substr(1);
    } else {
      const std::size_t space = inside.find(' ');
      out = inside.substr(0, space) + ", " + inside.substr(space + 1) + (D == 3 ? ", 0" : "");
    }
    text.replace(at, end - at + 1, "[" + out + "]");
  }
  for (std::size_t at = 0; (at = text.find("BALL", at)) != std::string::npos;)
    text.replace(at, 4, D == 2 ? "circle" : "sphere");
  return "colvik = 1\n[world]\ndimension = " + std::to_string(D) + "\n" + text;
}

}  // namespace colvik::test
