// Expectations from what a run did.
#include <colvik/insight.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace colvik {

namespace {

constexpr std::size_t kMostPairs = 20;

std::string quoted(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    out += c;
  }
  return out + '"';
}

template <int D>
std::string who(const Trace<D>& trace, std::uint32_t object) {
  return object == kNobody ? std::string("any") : "@" + trace.objects()[object].name;
}

double down(double seconds) { return std::max(0.0, std::floor(seconds * 1000) / 1000); }
double up(double seconds) { return std::ceil(seconds * 1000) / 1000; }

template <int D>
struct Pinning {
  const Trace<D>& trace;
  const PinOptions& options;
  Who only{};

  [[nodiscard]] bool part(std::uint32_t object) const {
    return object != kNobody &&
           only.matches(trace.objects()[object].name, trace.objects()[object].tags);
  }

  void reaction(std::size_t index, std::vector<Expectation<D>>& out) const {
    using Pair = std::pair<std::string, std::string>;
    std::map<Pair, std::vector<double>> pairs;
    std::size_t fired = 0;
    for (const TraceFiring<D>& f : trace.firings()) {
      if (f.reaction != index) continue;
      ++fired;
      if (options.only.empty() || part(f.self) || part(f.other))
        pairs[{who(trace, f.self), who(trace, f.other)}].push_back(f.time);
    }
    const std::string& name = trace.reactions()[index].name;
    if (name.empty() || (!options.only.empty() && pairs.empty())) return;
    if (options.only.empty()) {
      Expectation<D> all;
      all.what = ExpectReaction{.reaction = name};
      all.pinned = true;
      if (fired == 0) all.never = true;
      else all.times = fired;
      out.push_back(std::move(all));
    }
    if (pairs.size() > kMostPairs) return;
    for (const auto& [pair, times] : pairs) {
      Expectation<D> e;
      e.what = ExpectReaction{.reaction = name, .self = pair.first, .other = pair.second};
      e.pinned = true;
      e.times = times.size();
      e.from = down(times.front() - options.slack);
      e.to = up(times.back() + options.slack);
      out.push_back(std::move(e));
    }
  }

  void number(const std::string& name, double value, std::vector<Expectation<D>>& out) const {
    Expectation<D> e;
    e.what = ExpectNumber{.number = name, .is = value};
    e.pinned = true;
    out.push_back(std::move(e));
  }
};

}  // namespace

template <int D>
Result<std::vector<Expectation<D>>> pins(const Trace<D>& trace, const PinOptions& options) {
  if (!(options.slack >= 0) || !std::isfinite(options.slack))
    return Error{"slack", fmt::format("is {:g}", options.slack), "seconds, 0 or more"};
  Pinning<D> pinning{trace, options};
  if (!options.only.empty()) {
    Result<Who> only = Who::parse(options.only, trace.tags());
    if (!only) return only.error();
    pinning.only = std::move(only).value();
  }
  std::vector<Expectation<D>> all;
  for (std::size_t i = 0; i < trace.reactions().size(); ++i) pinning.reaction(i, all);
  if (options.only.empty())
    for (const Number& n : trace.numbers()) pinning.number("world." + n.name, n.value, all);
  for (std::uint32_t i = 0; i < trace.objects().size(); ++i) {
    const TraceObject<D>& o = trace.objects()[i];
    if (o.gone != kNever || (!options.only.empty() && !pinning.part(i))) continue;
    for (const Number& n : o.numbers) pinning.number("@" + o.name + "." + n.name, n.value, all);
  }
  if (trace.outcome() && options.only.empty()) {
    Expectation<D> e;
    e.what = ExpectOutcome{*trace.outcome()};
    e.pinned = true;
    all.push_back(std::move(e));
  }
  return all;
}

namespace {

template <int D>
std::string lines_of(const Expectation<D>& pin) {
  if (const auto* r = std::get_if<ExpectReaction>(&pin.what)) {
    std::string text = fmt::format("reaction = {}", quoted(r->reaction));
    if (r->self != "any") text += fmt::format("\nself = {}", quoted(r->self));
    if (r->other != "any") text += fmt::format("\nother = {}", quoted(r->other));
    return text;
  }
  if (const auto* n = std::get_if<ExpectNumber>(&pin.what))
    return fmt::format("number = {}", quoted(n->number));
  return "outcome";
}

}  // namespace

template <int D>
std::string pin_subject(const Expectation<D>& pin) {
  return lines_of(pin) + (std::isfinite(pin.to) ? "\nbetween" : "");
}

template <int D>
std::string pin_text(const Expectation<D>& pin) {
  std::string text = "[[expect]]\npinned = true\n";
  if (const auto* outcome = std::get_if<ExpectOutcome>(&pin.what))
    return text + fmt::format("outcome = {}\n", quoted(outcome->outcome));
  text += lines_of(pin) + "\n";
  if (const auto* n = std::get_if<ExpectNumber>(&pin.what))
    return text + fmt::format("is = {}\n", n->is.value_or(0));
  if (pin.never) return text + "never = true\n";
  text += fmt::format("times = {}\n", pin.times.value_or(0));
  if (std::isfinite(pin.to)) text += fmt::format("between = [{}, {}]\n", pin.from, pin.to);
  return text;
}

template Result<std::vector<Expectation<2>>> pins(const Trace<2>&, const PinOptions&);
template std::string pin_text(const Expectation<2>&);
template std::string pin_subject(const Expectation<2>&);
template Result<std::vector<Expectation<3>>> pins(const Trace<3>&, const PinOptions&);
template std::string pin_text(const Expectation<3>&);
template std::string pin_subject(const Expectation<3>&);

}  // namespace colvik
