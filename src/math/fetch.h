#pragma once
// Prefetches memory before it is read. Only speed depends on it.
#include <cstddef>

// Calls of functions that do nothing else are left out by compilers, unless they are inlined before
// that is noticed.
#ifdef __GNUC__
#define COLVIK_FETCHES [[gnu::always_inline]] inline
#else
#define COLVIK_FETCHES inline
#endif

namespace colvik::math {

/// Prefetches `size` bytes, which need not be readable.
COLVIK_FETCHES void fetch([[maybe_unused]] const void* at, [[maybe_unused]] std::size_t size) {
#ifdef __GNUC__
  constexpr std::size_t kLine = 64;
  for (std::size_t k = 0; k < size; k += kLine)
    __builtin_prefetch(static_cast<const std::byte*>(at) + k);
#endif
}

}  // namespace colvik::math
