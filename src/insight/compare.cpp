// Two runs held against each other.
#include <colvik/insight.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace colvik {

template <int D>
std::vector<Happening> happenings(const Trace<D>& trace) {
  std::vector<Happening> all;
  const auto name = [&](std::uint32_t object) {
    return object == kNobody ? std::string() : trace.objects()[object].name;
  };
  for (const TraceTouch& t : trace.touches())
    if (t.phase == Phase::begin)
      all.push_back(
          {fmt::format("{} touch", name_of(t.channel)), name(t.self), name(t.other), t.time});
  for (const TraceFiring<D>& f : trace.firings())
    all.push_back({trace.reactions()[f.reaction].name, name(f.self), name(f.other), f.time});
  return all;
}

std::vector<Difference> compare(std::span<const Happening> first, std::span<const Happening> second,
                                double slack) {
  using Key = std::tuple<std::string, std::string, std::string>;
  std::map<Key, std::array<std::vector<const Happening*>, 2>> sorted;
  for (const Happening& h : first) sorted[{h.what, h.self, h.other}][0].push_back(&h);
  for (const Happening& h : second) sorted[{h.what, h.self, h.other}][1].push_back(&h);
  std::vector<Difference> all;
  for (auto& [key, both] : sorted) {
    for (auto& list : both)
      std::stable_sort(list.begin(), list.end(),
                       [](const auto* a, const auto* b) { return a->time < b->time; });
    const std::size_t n = std::max(both[0].size(), both[1].size());
    for (std::size_t i = 0; i < n; ++i) {
      if (i >= both[0].size()) all.push_back({Difference::How::only_second, {}, *both[1][i], {}});
      else if (i >= both[1].size())
        all.push_back({Difference::How::only_first, *both[0][i], {}, {}});
      else if (std::abs(both[0][i]->time - both[1][i]->time) > slack)
        all.push_back({Difference::How::other_time, *both[0][i], *both[1][i], {}});
    }
  }
  const auto time = [](const Difference& d) {
    return d.how == Difference::How::only_second ? d.second.time : d.first.time;
  };
  std::stable_sort(all.begin(), all.end(), [&](const Difference& a, const Difference& b) {
    return std::pair(a.how, time(a)) < std::pair(b.how, time(b));
  });
  return all;
}

std::string compare_report(std::span<const Difference> differences) {
  std::size_t widest = 0;
  for (const Difference& d : differences)
    widest = std::max({widest, d.first.what.size(), d.second.what.size()});
  const auto who = [&](const Happening& h) {
    std::string text = h.what;
    if (!h.self.empty()) text = fmt::format("{:<{}}  {}", h.what, widest, h.self);
    if (!h.other.empty()) text += " with " + h.other;
    return text;
  };
  std::string out;
  const auto part = [&](Difference::How how, std::string_view title) {
    bool any = false;
    for (const Difference& d : differences) {
      if (d.how != how) continue;
      if (!std::exchange(any, true)) out += fmt::format("{}{}\n", out.empty() ? "" : "\n", title);
      if (how == Difference::How::other_time)
        out += fmt::format("  {:7.3f} s, then {:7.3f} s  {}\n", d.first.time, d.second.time,
                           who(d.first));
      else {
        const Happening& h = how == Difference::How::only_first ? d.first : d.second;
        out += fmt::format("  {:7.3f} s  {}\n", h.time, who(h));
        if (!d.why.empty())
          out += fmt::format("             {}: {}\n",
                             how == Difference::How::only_first ? "now" : "before", d.why);
      }
    }
  };
  part(Difference::How::only_first, "No longer happens");
  part(Difference::How::only_second, "Happens now");
  part(Difference::How::other_time, "Happens at another time");
  return out.empty() ? "The same happened at the same times.\n" : out;
}

template std::vector<Happening> happenings(const Trace<2>&);
template std::vector<Happening> happenings(const Trace<3>&);

}  // namespace colvik
