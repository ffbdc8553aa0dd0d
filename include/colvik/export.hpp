#pragma once
/// What the shared libraries export; everything else in them is hidden.

#if defined(__GNUC__)
#define COLVIK_EXPORT [[gnu::visibility("default")]]
#else
#define COLVIK_EXPORT
#endif
