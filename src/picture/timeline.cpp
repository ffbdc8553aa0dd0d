#include <colvik/timeline.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "picture/look.h"

namespace colvik {
namespace picture {
namespace {

constexpr double kAbove = 62;  // title and axis
constexpr double kBelow = 14;
constexpr double kMostHigh = 22;  // of a lane
constexpr std::size_t kMostLanes = 1900;
const Colour kMet{0.0, 0.44, 0.3};
const Colour kMissed{0.7, 0.15, 0.12};

struct Bar {
  double from = 0;
  double to = 0;
  bool zone = false;
};
struct Lane {
  std::string name;
  std::vector<Bar> bars{};
  std::vector<double> marks{};
  std::vector<std::pair<double, double>> steps{};  // a number's times and values
};

// All touches of those that `mine` accepts, from begin to end.
template <int D, class Mine>
std::vector<Bar> bars_of(const Trace<D>& trace, const Mine& mine) {
  std::map<std::tuple<std::uint32_t, std::uint32_t, Channel>, double> open;
  std::vector<Bar> bars;
  for (const TraceTouch& t : trace.touches()) {
    if (t.phase == Phase::during || !mine(t)) continue;
    const auto key = std::tuple(t.self, t.other, t.channel);
    if (t.phase == Phase::begin) {
      open.emplace(key, t.time);
    } else if (const auto at = open.find(key); at != open.end()) {
      bars.push_back({at->second, t.time, t.channel == Channel::zone});
      open.erase(at);
    }
  }
  for (const auto& [key, from] : open)
    bars.push_back({from, trace.time(), std::get<2>(key) == Channel::zone});
  return bars;
}

template <int D>
std::optional<Lane> reaction_lane(const Trace<D>& trace, const std::string& name) {
  std::optional<Lane> lane;
  for (std::size_t i = 0; i < trace.reactions().size(); ++i) {
    if (trace.reactions()[i].name != name || name.empty()) continue;
    if (!lane) lane = Lane{name};
    for (const TraceFiring<D>& f : trace.firings())
      if (f.reaction == i) lane->marks.push_back(f.time);
  }
  return lane;
}

template <int D>
Lane object_lane(const Trace<D>& trace, std::uint32_t object) {
  return {trace.objects()[object].name, bars_of<D>(trace, [&](const TraceTouch& t) {
            return t.self == object || t.other == object;
          })};
}

// The lanes of one that was requested.
template <int D>
Result<void> add_lanes(const Trace<D>& trace, const std::string& text, std::vector<Lane>& lanes) {
  if (std::optional<Lane> lane = reaction_lane(trace, text)) {
    lanes.push_back(std::move(*lane));
    return {};
  }
  const auto matches = [&](const Who& who, std::uint32_t i, const TagSet& tags) {
    return who.matches(trace.objects()[i].name, tags);
  };
  const std::size_t with = text.find(" with ");
  const Result<Who> first = Who::parse(text.substr(0, with), trace.tags());
  if (!first) return Error{"the lane '" + text + "'", first.error().what, first.error().accepted};
  if (with != std::string::npos) {
    const Result<Who> second = Who::parse(text.substr(with + 6), trace.tags());
    if (!second)
      return Error{"the lane '" + text + "'", second.error().what, second.error().accepted};
    lanes.push_back(
        {text, bars_of<D>(trace, [&](const TraceTouch& t) {
           const Who& a = first.value();
           const Who& b = second.value();
           return (matches(a, t.self, t.self_tags) && matches(b, t.other, t.other_tags)) ||
                  (matches(b, t.self, t.self_tags) && matches(a, t.other, t.other_tags));
         })});
    return {};
  }
  const std::size_t before = lanes.size();
  for (std::uint32_t i = 0; i < trace.objects().size(); ++i)
    if (matches(first.value(), i, trace.objects()[i].tags)) lanes.push_back(object_lane(trace, i));
  if (lanes.size() == before)
    return Error{"the lane '" + text + "'", "is nobody's, and no reaction is named so",
                 "a reaction, a tag query, \"@object\", or two of these: A with B"};
  return {};
}

template <int D>
std::vector<Lane> all_lanes(const Trace<D>& trace) {
  std::vector<Lane> lanes;
  for (const ReactionReport& r : trace.reactions()) {
    const bool listed = std::any_of(lanes.begin(), lanes.end(),
                                    [&](const Lane& lane) { return lane.name == r.name; });
    if (!listed)
      if (std::optional<Lane> lane = reaction_lane(trace, r.name))
        lanes.push_back(std::move(*lane));
  }
  for (std::uint32_t i = 0; i < trace.objects().size(); ++i) {
    const TraceObject<D>& o = trace.objects()[i];
    const bool zone = std::any_of(o.colliders.begin(), o.colliders.end(),
                                  [](const ColliderDef<D>& c) { return c.zone; });
    if (!zone) continue;
    Lane lane = object_lane(trace, i);
    if (!lane.bars.empty()) lanes.push_back(std::move(lane));
  }
  return lanes;
}

class Sheet {
 public:
  Sheet(Canvas& canvas, const TimelineOptions& options, double end, double height)
      : canvas_(canvas), options_(options), end_(end), height_(height) {
    label_ = std::min(220.0, options.width * 0.25);
  }

  void axis(double bottom) {
    canvas_.background(kPaper);
    canvas_.text({12, 26}, options_.title, 16, kInk, true);
    double unit = std::pow(10, std::floor(std::log10(std::max(end_, 1e-9) / 6)));
    for (const double times : {1.0, 2.0, 5.0, 10.0})
      if (end_ / (unit * times) <= 14) {
        unit *= times;
        break;
      }
    for (double t = 0; t <= end_ + 1e-9; t += unit) {
      canvas_.line({x(t), kAbove - 12}, {x(t), bottom}, {kQuiet.faded(0.3), 1});
      canvas_.text({x(t), kAbove - 16}, fmt::format("{:g}{}", t, t == 0 ? " s" : ""), 11, kQuiet,
                   false, true);
    }
  }

  void lane(const Lane& lane, double y) {
    const double h = height_;
    name(lane.name, y);
    for (const Judged& v : options_.verdicts)
      if (v.reaction == lane.name && !lane.name.empty()) band(v, y);
    for (const Bar& b : lane.bars) {
      const double right = std::max(x(b.to), x(b.from) + 1.5);
      const std::vector<Vec<2>> box{{x(b.from), y + h * 0.2},
                                    {right, y + h * 0.2},
                                    {right, y + h * 0.8},
                                    {x(b.from), y + h * 0.8}};
      const Colour fill = kPalette[0].faded(b.zone ? 0.12 : 0.6);
      const Stroke rim{kPalette[0], h > 8 ? 1.2 : 0.6};
      canvas_.polygon(box, &fill, &rim);
    }
    for (const double t : lane.marks)
      canvas_.line({x(t), y + h * 0.08}, {x(t), y + h * 0.92}, {kPalette[1], 2.4});
    if (!lane.steps.empty()) number(lane, y);
  }

 private:
  [[nodiscard]] double x(double t) const {
    return label_ + (options_.width - label_ - 24) * (end_ > 0 ? t / end_ : 0);
  }
  void name(const std::string& text, double y) {
    const double size = std::min(11.5, height_ - 1);
    if (size < 5) return;
    std::string shown = text;
    while (shown.size() > 1 && canvas_.text_width(shown, size) > label_ - 24) shown.pop_back();
    if (shown.size() < text.size()) shown += "..";
    canvas_.text({12, y + height_ / 2 + size * 0.36}, shown, size, kInk);
  }
  void band(const Judged& v, double y) {
    const double right = std::max(x(std::min(v.to, end_)), x(v.from) + 2);
    const Colour fill = (v.met ? kMet : kMissed).faded(0.16);
    canvas_.polygon(std::vector<Vec<2>>{{x(v.from), y + 1},
                                        {right, y + 1},
                                        {right, y + height_ - 1},
                                        {x(v.from), y + height_ - 1}},
                    &fill, nullptr);
    if (height_ < 10) return;
    const Vec<2> c(right - 8, y + height_ / 2);
    const Stroke ink{v.met ? kMet : kMissed, 2};
    if (v.met) {
      canvas_.polyline(std::vector<Vec<2>>{c + Vec<2>(-4, 0), c + Vec<2>(-1, 4), c + Vec<2>(5, -5)},
                       ink);
    } else {
      canvas_.line(c + Vec<2>(-4, -4), c + Vec<2>(4, 4), ink);
      canvas_.line(c + Vec<2>(-4, 4), c + Vec<2>(4, -4), ink);
    }
  }
  void number(const Lane& lane, double y) {
    double least = 0;
    double most = 1e-9;
    for (const auto& [t, v] : lane.steps) {
      least = std::min(least, v);
      most = std::max(most, v);
    }
    const auto high = [&](double v) {
      return y + height_ - 4 - (height_ - 8) * (v - least) / (most - least);
    };
    std::vector<Vec<2>> line;
    for (std::size_t i = 0; i < lane.steps.size(); ++i) {
      const auto& [t, v] = lane.steps[i];
      line.emplace_back(x(t), high(v));
      line.emplace_back(x(i + 1 < lane.steps.size() ? lane.steps[i + 1].first : end_), high(v));
    }
    canvas_.polyline(line, {kMet, 1.8});
    canvas_.text({x(end_) + 3, high(lane.steps.back().second) + 4},
                 fmt::format("{:g}", lane.steps.back().second), 10, kQuiet);
  }

  Canvas& canvas_;
  const TimelineOptions& options_;
  double end_;
  double height_;
  double label_ = 0;
};

}  // namespace
}  // namespace picture

template <int D>
Result<void> draw_timeline(const Trace<D>& trace, const std::string& path,
                           const TimelineOptions& options) {
  using namespace picture;
  std::vector<Lane> lanes;
  if (options.lanes.empty()) lanes = all_lanes(trace);
  for (const std::string& text : options.lanes)
    if (auto good = add_lanes(trace, text, lanes); !good) return good.error();
  if (options.numbers) {
    std::map<std::string, Lane> numbers;
    for (const TraceNumber& n : trace.number_changes())
      if (n.object == kNobody) {
        Lane& lane = numbers.try_emplace(n.name, Lane{"world." + n.name}).first->second;
        lane.steps.emplace_back(static_cast<double>(n.step) / trace.rate(), n.value);
      }
    for (auto& [name, lane] : numbers) lanes.push_back(std::move(lane));
  }
  if (lanes.size() > kMostLanes)
    return Error{"the timeline", fmt::format("would have {} lanes", lanes.size()),
                 fmt::format("at most {}; name those that matter", kMostLanes)};
  const double count = static_cast<double>(std::max<std::size_t>(lanes.size(), 1));
  const double lane_height = std::min(kMostHigh, (8000 - kAbove - kBelow) / count);
  const double bottom = kAbove + lane_height * count;
  const int height = std::max(400, static_cast<int>(std::ceil(bottom + kBelow)));
  auto canvas = Canvas::create(path, options.width, height);
  if (!canvas) return canvas.error();
  const std::unique_ptr<Canvas> paper = std::move(canvas).value();
  Sheet sheet(*paper, options, trace.time(), lane_height);
  sheet.axis(bottom);
  for (std::size_t i = 0; i < lanes.size(); ++i)
    sheet.lane(lanes[i], kAbove + lane_height * static_cast<double>(i));
  if (lanes.empty()) paper->text({12, kAbove + 16}, "nothing happened", 12, kQuiet);
  return paper->finish();
}

template Result<void> draw_timeline(const Trace<2>&, const std::string&, const TimelineOptions&);
template Result<void> draw_timeline(const Trace<3>&, const std::string&, const TimelineOptions&);

}  // namespace colvik
