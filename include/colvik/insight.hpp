#pragma once
/// Reading a trace: reports in words, event logs, and why an expectation was missed.

#include <colvik/expectation.hpp>

#include <iosfwd>

namespace colvik {

/// Why nothing matched a missed expectation of a reaction or contact: which rule keeps the pair
/// apart, or how near the two came; "" when there is nothing to add. Looks at each pair that was
/// meant, at every step: cost grows with both, and stops at 2000 pairs.
template <int D>
[[nodiscard]] std::string near_miss(const Expectation<D>& expectation, const Trace<D>& trace);

struct ReportStyle {
  bool colour = false;
  std::size_t firings = 8;  ///< of a reaction that are listed one by one
};

/// What fired, which expectations were met, and how many objects there were; lines of at most 100
/// characters where names allow it.
template <int D>
[[nodiscard]] std::string run_report(const Trace<D>& trace, std::span<const Expectation<D>> expectations,
                                     const ReportStyle& style);

/// Writes JSON Lines, one object a line, in the fixed order: of each step the touches, then the
/// reactions. docs/events.md lists the keys.
template <int D>
void write_events(std::ostream& out, const Trace<D>& trace);

}  // namespace colvik
