#pragma once
// Deliberate faults, to test that the checks find them (scripts/fault-check). Only a build with
// COLVIK_FAULTS has them, and there each only if its number is in the environment.
#ifdef COLVIK_FAULTS
#include <cstdlib>

namespace colvik::math {
inline int fault() {
  static const int number = [] {
    const char* text = std::getenv("COLVIK_FAULT");
    return text != nullptr ? std::atoi(text) : 0;
  }();
  return number;
}
}  // namespace colvik::math
#define COLVIK_FAULT(number) (::colvik::math::fault() == (number))
#else
#define COLVIK_FAULT(number) false
#endif
