#include <colvik/insight.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace colvik {
namespace {

constexpr std::size_t kWidth = 100;

struct Paint {
  bool on;
  [[nodiscard]] std::string operator()(std::string_view code, std::string_view text) const {
    return on ? fmt::format("\x1b[{}m{}\x1b[0m", code, text) : std::string(text);
  }
  [[nodiscard]] std::string good(std::string_view text) const { return (*this)("32", text); }
  [[nodiscard]] std::string bad(std::string_view text) const { return (*this)("1;31", text); }
  [[nodiscard]] std::string head(std::string_view text) const { return (*this)("1", text); }
  [[nodiscard]] std::string dim(std::string_view text) const { return (*this)("2", text); }
};

// `text` broken at spaces so that lines, indented by `indent`, stay within the width.
std::string wrapped(std::string_view text, std::size_t indent) {
  std::string out;
  const std::size_t room = kWidth - indent;
  while (text.size() > room) {
    std::size_t cut = text.rfind(' ', room);
    if (cut == std::string_view::npos || cut == 0) cut = text.find(' ', room);
    if (cut == std::string_view::npos) break;
    out += std::string(text.substr(0, cut)) + "\n" + std::string(indent, ' ');
    text.remove_prefix(cut + 1);
  }
  return out + std::string(text);
}

template <int D>
std::string who_fired(const Trace<D>& trace, const TraceFiring<D>& f) {
  if (f.self == kNobody) return fmt::format("{:7.3f} s", f.time);
  std::string text = fmt::format("{:7.3f} s  {}", f.time, trace.objects()[f.self].name);
  return f.other == kNobody ? text : text + " with " + trace.objects()[f.other].name;
}

template <int D>
std::string reactions_part(const Trace<D>& trace, const ReportStyle& style, const Paint& paint) {
  std::string out = paint.head("What fired") + "\n";
  std::size_t longest = 4;
  for (const ReactionReport& r : trace.reactions()) longest = std::max(longest, r.name.size());
  for (std::size_t i = 0; i < trace.reactions().size(); ++i) {
    const ReactionReport& r = trace.reactions()[i];
    const std::string count = r.fired == 0   ? "never"
                              : r.fired == 1 ? "once"
                                             : fmt::format("{} times", r.fired);
    out += fmt::format("  {:<{}}  {:<9}", r.name, longest, count);
    std::size_t listed = 0;
    for (const TraceFiring<D>& f : trace.firings()) {
      if (f.reaction != i) continue;
      if (listed == style.firings) {
        out += fmt::format("\n{:{}}... and {} more", "", longest + 15, r.fired - listed);
        break;
      }
      if (listed++ > 0) out += fmt::format("\n{:{}}", "", longest + 13);
      out += "  " + who_fired(trace, f);
    }
    if (r.idle_effects > 0)
      out += paint.dim(fmt::format("\n{:{}}  {} effect{} found nothing to act on", "", longest + 13,
                                   r.idle_effects, r.idle_effects == 1 ? "" : "s"));
    out.erase(out.find_last_not_of(' ') + 1);
    out += "\n";
  }
  if (trace.reactions().empty()) out += "  the scene has no reactions\n";
  return out;
}

// Of kinds of which there were several: how many there are, and how many there were at the most.
template <int D>
std::string kinds_part(const Trace<D>& trace) {
  std::map<std::string, std::map<std::uint64_t, int>> changes;  // by kind and step
  std::map<std::string, std::size_t> made;
  for (const TraceObject<D>& o : trace.objects()) {
    if (o.kind.empty()) continue;
    ++made[o.kind];
    ++changes[o.kind][o.born];
    if (o.gone != kNever) --changes[o.kind][o.gone];
  }
  std::string out;
  for (const auto& [kind, steps] : changes) {
    if (made[kind] < 2) continue;
    int live = 0;
    int peak = 0;
    for (const auto& [step, change] : steps) {
      live += change;
      peak = std::max(peak, live);
    }
    out += fmt::format("    {:<14} {} live, {} at the peak, {} in all\n", kind, live, peak,
                       made[kind]);
  }
  return out;
}

}  // namespace

template <int D>
std::string run_report(const Trace<D>& trace, std::span<const Expectation<D>> expectations,
                       const ReportStyle& style) {
  const Paint paint{style.colour};
  std::string out = reactions_part(trace, style, paint);
  out += "\n" + paint.head("What was expected") + "\n";
  std::size_t met = 0;
  std::size_t pins = 0;
  for (std::size_t i = 0; i < expectations.size(); ++i) {
    const ExpectationResult r = judge(expectations[i], trace);
    if (r.met) {
      ++met;
      out += fmt::format("  {}  {}\n", paint.good("met   "), wrapped(r.expected, 10));
      continue;
    }
    const bool pinned = expectations[i].pinned;
    pins += pinned ? 1 : 0;
    out += fmt::format("  {}{}\n", paint.bad(pinned ? "CHANGED " : "MISSED  "),
                       wrapped(r.expected + (pinned ? ", as pinned" : ""), 10));
    out += fmt::format("          {}\n", wrapped("instead: " + r.happened, 10));
    if (i < style.reasons.size() && !style.reasons[i].empty())
      out += fmt::format("          {}\n", wrapped("because: " + style.reasons[i], 10));
    if (r.place.line > 0)
      out +=
          paint.dim(fmt::format("          {}:{}:{}", r.place.file, r.place.line, r.place.column)) +
          "\n";
  }
  if (expectations.empty()) out += "  nothing: add [[expect]] to the scene\n";
  out += "\n" + paint.head("What was tried") + "\n" +
         coverage_report(coverage(trace, expectations), style.coverage);
  out += "\n" + paint.head("At the end") + "\n";
  out += fmt::format("  outcome   {}\n", trace.outcome().value_or("none"));
  for (const Number& n : trace.numbers())
    out += fmt::format("  world.{} is {:g}\n", n.name, n.value);
  out += fmt::format("  objects   {} live, {} at the peak\n", trace.live(), trace.peak());
  out += kinds_part(trace);
  if (trace.left() > 0) out += fmt::format("  left the bounds: {}\n", trace.left());
  out += fmt::format("  time      {:.3f} s, {} steps; state {:016x}\n\n", trace.time(),
                     trace.steps(), trace.hash());
  const std::size_t missed = expectations.size() - met - pins;
  const std::string verdict = fmt::format("{} of {} expectations met", met, expectations.size());
  std::string rest = missed > 0 ? fmt::format(", {} missed", missed) : "";
  if (pins > 0) rest += fmt::format(", {} pinned {} changed", pins, pins == 1 ? "one" : "ones");
  return out + (rest.empty() ? paint.good(verdict) : paint.bad(verdict + rest)) + "\n";
}

template std::string run_report(const Trace<2>&, std::span<const Expectation<2>>,
                                const ReportStyle&);
template std::string run_report(const Trace<3>&, std::span<const Expectation<3>>,
                                const ReportStyle&);

}  // namespace colvik
