// The slots of a node in vector registers. Included once for each instruction set, as Highway wants
// it.
#if defined(COLVIK_INDEX_LANES) == defined(HWY_TARGET_TOGGLE)
#ifdef COLVIK_INDEX_LANES
#undef COLVIK_INDEX_LANES
#else
#define COLVIK_INDEX_LANES
#endif

#include <hwy/highway.h>

#include <cstdint>
#include <limits>

#include "index/slots.h"

HWY_BEFORE_NAMESPACE();
namespace colvik::index::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;
using Lanes = hn::CappedTag<float, kWidth>;

template <class Mask>
HWY_INLINE std::uint32_t bits_of(Mask mask) {
  std::uint8_t bytes[8] = {};
  hn::StoreMaskBits(Lanes(), mask, bytes);
  return bytes[0];
}

// A bit for each slot that may overlap a box, and for each of which that is in doubt: by how far
// they reach into each other, along the axis where they do the least. From -reach on they may,
// above `sure` they do; touching counts.
struct Near {
  std::uint32_t slots = 0;
  std::uint32_t doubt = 0;
};

template <int D>
HWY_INLINE Near near(const Slots<D>& s, const FloatBox<D>& box, float reach, float sure) {
  const Lanes tag;
  Near out;
  for (std::size_t k = 0; k < kWidth; k += hn::Lanes(tag)) {
    auto margin = hn::Set(tag, std::numeric_limits<float>::max());
    for (int i = 0; i < D; ++i) {
      margin = hn::Min(margin, hn::Sub(hn::Load(tag, s.hi[i] + k), hn::Set(tag, box.lo[i])));
      margin = hn::Min(margin, hn::Sub(hn::Set(tag, box.hi[i]), hn::Load(tag, s.lo[i] + k)));
    }
    out.slots |= bits_of(hn::Ge(margin, hn::Set(tag, -reach))) << k;
    out.doubt |= bits_of(hn::Le(margin, hn::Set(tag, sure))) << k;
  }
  return out;
}

}  // namespace colvik::index::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();
#endif
