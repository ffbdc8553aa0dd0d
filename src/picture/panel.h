#pragma once
// What stands beside a drawing: title, scale, legend, what fired.
#include <colvik/picture.hpp>

#include "picture/canvas.h"

namespace colvik::picture {

template <int D>
void paint_title(Canvas& canvas, const Trace<D>& trace, const PictureOptions& options,
                 std::uint64_t last, double scale);

// In columns of a fixed width, as many as fit.
template <int D>
void paint_panel(Canvas& canvas, const Trace<D>& trace, std::uint64_t last, const Vec<2>& corner,
                 const Vec<2>& size);

}  // namespace colvik::picture
