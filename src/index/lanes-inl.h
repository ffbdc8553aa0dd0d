// The slots of a node in vector registers. Included once for each instruction set, as Highway wants it.
#if defined(COLVIK_INDEX_LANES) == defined(HWY_TARGET_TOGGLE)
#ifdef COLVIK_INDEX_LANES
#undef COLVIK_INDEX_LANES
#else
#define COLVIK_INDEX_LANES
#endif

#include <hwy/highway.h>

#include <cstdint>

#include "index/slots.h"

HWY_BEFORE_NAMESPACE();
namespace colvik::index::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;
using Lanes = hn::CappedTag<float, kWide>;

template <class Mask>
HWY_INLINE std::uint32_t bits_of(Mask mask) {
  std::uint8_t bytes[8] = {};
  hn::StoreMaskBits(Lanes(), mask, bytes);
  return bytes[0];
}

}  // namespace colvik::index::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();
#endif
