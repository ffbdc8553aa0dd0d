#pragma once
// What a view draws of a world.
#include <colvik/lines.hpp>

#include "pairs/model.h"

namespace colvik::world {

// Objects in order of age, each collider's lines together; then contacts, if requested.
template <int D>
[[nodiscard]] std::vector<Line<D>> lines_of(Model<D>& model, const LineOptions& options);

}  // namespace colvik::world
