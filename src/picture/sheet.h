#pragma once
// A whole picture of a moment: where drawing and panel stand, and what is in view.
#include "picture/painter.h"

namespace colvik::picture {

// What is wrong with options, whatever is drawn.
template <int D>
Result<void> check_options(const Trace<D>& trace, const PictureOptions& options);

template <int D>
void paint_sheet(Canvas& canvas, const Trace<D>& trace, const Bounds<D>* view,
                 const PictureOptions& options, std::uint64_t last, const Overlay<D>* overlay);

}  // namespace colvik::picture
