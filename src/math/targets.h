// Of the instruction sets that Highway can choose from at run time, those that matter for eight
// vectors of small numbers. Included before Highway; it has no guard against being included
// again, as it only defines that.
#undef HWY_DISABLED_TARGETS
#define HWY_DISABLED_TARGETS (HWY_SSSE3 | HWY_AVX3_DL)
