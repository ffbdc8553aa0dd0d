#include "picture/panel.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "picture/look.h"

namespace colvik::picture {

namespace {

constexpr double kColumn = 300;

// A place in columns that are filled from top to bottom.
struct Column {
  Vec<2> corner;
  Vec<2> size;
  double x = corner.x();
  double y = corner.y();

  // Room for so many pixels; false if there is none.
  bool room(double high) {
    if (y + high <= corner.y() + size.y()) return true;
    if (x + 2 * kColumn > corner.x() + size.x() + 30) return false;
    x += kColumn;
    y = corner.y();
    return true;
  }
};

void swatch(Canvas& canvas, Column& at, const Stroke& stroke, double filled, bool zone,
            const std::string& name) {
  if (!at.room(17)) return;
  const std::vector<Vec<2>> box{
      {at.x, at.y + 2}, {at.x + 22, at.y + 2}, {at.x + 22, at.y + 13}, {at.x, at.y + 13}};
  const Colour fill = stroke.colour.faded(filled);
  if (zone) canvas.hatch(box, stroke.colour.faded(0.5), 6);
  canvas.polygon(box, zone ? nullptr : &fill, &stroke);
  canvas.text({at.x + 30, at.y + 12}, canvas.fitting(name, 12, kColumn - 50), 12, kInk);
  at.y += 17.5;
}

void heading(Canvas& canvas, Column& at, const std::string& text) {
  if (!at.room(50)) return;
  canvas.text({at.x, at.y + 12}, text, 13, kInk, true);
  at.y += 20;
}

template <int D>
void paint_legend(Canvas& canvas, const Trace<D>& trace, Column& at) {
  TagSet present;
  bool untagged = false;
  std::array<bool, 3> bodies{};
  bool zones = false;
  bool slept = false;
  bool off = false;
  for (std::uint32_t i = 0; i < trace.objects().size(); ++i) {
    const TraceObject<D>& o = trace.objects()[i];
    present = present.merged(o.tags);
    untagged = untagged || o.tags.empty();
    bool solid = false;
    for (std::size_t k = 0; k < o.parties.size(); ++k) {
      present = present.merged(o.parties[k].tags);
      (o.colliders[k].zone ? zones : solid) = true;
    }
    bodies[static_cast<std::size_t>(o.body)] |= solid;
    for (const auto& s : trace.samples(i)) slept = slept || s.asleep;
    for (const TraceColliderChange& c : trace.collider_changes(i)) off = off || !c.on;
  }
  if (untagged || !present.empty()) heading(canvas, at, "Tags");
  for (const Tag tag : present.list()) {
    const Colour c = tag_colour(tag.index);
    swatch(canvas, at, {c, 1.5}, 0.3, false, trace.tags().name(tag));
  }
  if (untagged) swatch(canvas, at, {kUntagged, 1.5}, 0.3, false, "no tag");
  at.y += 8;
  if (zones || bodies != std::array<bool, 3>{}) heading(canvas, at, "Lines");
  for (const BodyKind body : {BodyKind::fixed, BodyKind::kinematic, BodyKind::dynamic})
    if (bodies[static_cast<std::size_t>(body)])
      swatch(canvas, at, line_of(body, false, false, kQuiet), fill_of(body), false,
             std::string(name_of(body)));
  if (slept)
    swatch(canvas, at, line_of(BodyKind::dynamic, true, false, kQuiet), 0.34, false, "asleep");
  if (zones) swatch(canvas, at, line_of(BodyKind::fixed, false, true, kQuiet), 0, true, "zone");
  if (off) swatch(canvas, at, {kQuiet.faded(kOff), 1}, 0, false, "switched off");
  at.y += 8;
}

}  // namespace

template <int D>
void paint_title(Canvas& canvas, const Trace<D>& trace, const PictureOptions& options,
                 std::uint64_t last, double scale) {
  const std::string title = canvas.fitting(options.title, 16, options.width * 0.5);
  canvas.text({14, 27}, title, 16, kInk, true);
  const std::string when =
      options.strobe > 1
          ? fmt::format("{} moments from 0 to {:.2f} s", options.strobe, trace.time())
          : fmt::format("at {:.2f} s of {:.2f} s", static_cast<double>(last) / trace.rate(),
                        trace.time());
  canvas.text({14 + canvas.text_width(title, 16, true) + 16, 27}, when, 12.5, kQuiet);
  // A scale bar: the longest round length that fits.
  double length = std::pow(10, std::floor(std::log10(140 / scale)));
  length *= length * 5 * scale <= 140 ? 5 : length * 2 * scale <= 140 ? 2 : 1;
  const double px = length * scale;
  const double right = options.width - 24.0;
  canvas.line({right - px, 30}, {right, 30}, {kInk, 2});
  canvas.text({right - px / 2, 24}, fmt::format("{:g}{}", length, trace.metre() == 1 ? " m" : ""),
              11, kQuiet, false, true);
}

template <int D>
void paint_panel(Canvas& canvas, const Trace<D>& trace, std::uint64_t last, const Vec<2>& corner,
                 const Vec<2>& size) {
  Column at{corner, size};
  paint_legend(canvas, trace, at);
  std::size_t all = 0;
  while (all < trace.firings().size() && trace.firings()[all].step <= last) ++all;
  heading(canvas, at, "Reactions");
  if (all == 0) canvas.text({at.x, at.y + 12}, "none so far", 11.5, kQuiet);
  for (std::size_t k = 0; k < all; ++k) {
    Column next = at;
    next.y += 16.5;
    const bool last_place = !next.room(16.5);
    if (!at.room(16.5)) return;
    if (last_place && k + 1 < all) {
      canvas.text({at.x, at.y + 12}, fmt::format("... and {} more", all - k), 11.5, kQuiet);
      return;
    }
    const TraceFiring<D>& f = trace.firings()[k];
    std::string line = fmt::format("{:.2f} s  {}", f.time, trace.reactions()[f.reaction].name);
    if (f.self != kNobody) line += ": " + trace.objects()[f.self].name;
    if (f.other != kNobody) line += ", " + trace.objects()[f.other].name;
    canvas.text({at.x, at.y + 12}, std::to_string(k + 1), 11, kInk, true);
    canvas.text({at.x + 26, at.y + 12}, canvas.fitting(line, 11.5, kColumn - 44), 11.5, kInk);
    at.y += 16.5;
  }
}

template void paint_title(Canvas&, const Trace<2>&, const PictureOptions&, std::uint64_t, double);
template void paint_title(Canvas&, const Trace<3>&, const PictureOptions&, std::uint64_t, double);
template void paint_panel(Canvas&, const Trace<2>&, std::uint64_t, const Vec<2>&, const Vec<2>&);
template void paint_panel(Canvas&, const Trace<3>&, std::uint64_t, const Vec<2>&, const Vec<2>&);

}  // namespace colvik::picture
