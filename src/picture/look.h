#pragma once
// How things look in pictures: colours by tag, lines by how a thing moves.
#include <colvik/trace.hpp>

#include "picture/canvas.h"

namespace colvik::picture {

inline const Colour kPaper{0.985, 0.98, 0.965};
inline const Colour kInk{0.13, 0.14, 0.17};
inline const Colour kQuiet{0.45, 0.46, 0.5};
inline constexpr double kOff = 0.35;  // how strongly what is switched off is drawn
inline const Colour kUntagged{0.48, 0.50, 0.53};
// Distinct with any colour vision: after Okabe and Ito, "Color universal design" (2008), with
// three more for scenes of many tags. The same as on pages.
inline const Colour kPalette[] = {
    {0.0, 0.447, 0.698},   {0.835, 0.369, 0.0},   {0.0, 0.62, 0.451},    {0.8, 0.475, 0.655},
    {0.722, 0.525, 0.043}, {0.247, 0.624, 0.847}, {0.478, 0.318, 0.584}, {0.541, 0.541, 0.0}};

// Beyond the eight the same, darker.
[[nodiscard]] inline Colour tag_colour(std::size_t tag) {
  const Colour& c = kPalette[tag % std::size(kPalette)];
  const double part = tag / std::size(kPalette) % 2 == 0 ? 1 : 0.55;
  return {part * c.r, part * c.g, part * c.b};
}
[[nodiscard]] inline Colour colour_of(const TagSet& tags) {
  const std::vector<Tag> list = tags.list();
  return list.empty() ? kUntagged : tag_colour(list.front().index);
}
// A collider's own tag distinguishes it from the rest of its object.
template <int D>
[[nodiscard]] Colour colour_of(const TraceObject<D>& o, std::size_t collider) {
  TagSet own = o.parties[collider].tags;
  for (const Tag tag : o.tags.list()) own.erase(tag);
  return colour_of(own.empty() ? o.tags : own);
}

// Without colours, too: what never moves is thin and pale, what its owner moves dash-dotted, what
// contacts move thick; what sleeps is dotted, zones are dashed and hatched.
[[nodiscard]] inline Stroke line_of(BodyKind body, bool asleep, bool zone, const Colour& colour) {
  Stroke s{colour, body == BodyKind::fixed ? 1.1 : 1.9};
  if (zone) s.dash = Dash::dashed;
  else if (asleep) s.dash = Dash::dotted;
  else if (body == BodyKind::kinematic) s.dash = Dash::dash_dot;
  return s;
}
[[nodiscard]] inline double fill_of(BodyKind body) {
  return body == BodyKind::fixed ? 0.10 : body == BodyKind::kinematic ? 0.18 : 0.34;
}

}  // namespace colvik::picture
