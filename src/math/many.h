#pragma once
// Long lists in huge pages, which need fewer address translations.
#include <cstddef>
#include <new>
#include <vector>

#ifdef __linux__
#include <sys/mman.h>
#endif

namespace colvik::math {

/// Allocates what is large so that the system may back it with large pages, where it offers them on
/// request: a scattered read of a long list then costs one memory access, not two.
/// Nothing but speed depends on it.
template <class T>
struct LargePages {
  using value_type = T;
  static constexpr std::size_t kPage = std::size_t{1} << 21;  // bytes

  LargePages() = default;
  template <class U>
  LargePages(const LargePages<U>&) {}  // NOLINT: allocators convert

  [[nodiscard]] static std::align_val_t alignment(std::size_t bytes) {
    return std::align_val_t{bytes >= kPage ? kPage : alignof(T) > 16 ? alignof(T) : 16};
  }
  [[nodiscard]] T* allocate(std::size_t n) {
    const std::size_t bytes = n * sizeof(T);
    void* const at = ::operator new(bytes, alignment(bytes));
#ifdef __linux__
    if (bytes >= kPage)
      (void)madvise(at, bytes, MADV_HUGEPAGE);  // refused, it is memory as any other
#endif
    return static_cast<T*>(at);
  }
  // Elements are left as their type leaves them: numbers that are about to be written need not be
  // cleared.
  template <class U>
  void construct(U* at) {
    ::new (static_cast<void*>(at)) U;
  }
  void deallocate(T* at, std::size_t n) { ::operator delete(at, alignment(n * sizeof(T))); }

  template <class U>
  bool operator==(const LargePages<U>&) const {
    return true;
  }
};

template <class T>
using Many = std::vector<T, LargePages<T>>;

}  // namespace colvik::math
