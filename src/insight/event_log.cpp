#include <colvik/insight.hpp>

#include <nlohmann/json.hpp>

#include <algorithm>
#include <map>
#include <ostream>

namespace colvik {

namespace {

using InOrder = nlohmann::ordered_json;

// The lines of a log: of each step its touches, then firings and what was withheld, then with `all`
// what became of objects and numbers; last the ends of a run that is over, or starts again. Each is
// put together as it is written.
template <int D>
class LogWriter {
 public:
  LogWriter(const Trace<D>& trace, bool all) : trace_(trace) {
    if (all) numbers_ = trace.number_changes();
    const auto list = [&](Kind kind, const auto& of) {
      for (std::size_t i = 0; i < of.size(); ++i) lines_.push_back({of[i].step, kind, i});
    };
    for (std::size_t i = 0; i < trace.touches().size(); ++i) {
      const TraceTouch& t = trace.touches()[i];
      lines_.push_back({t.step, t.why == EndCause::run_over ? over : touch, i});
    }
    list(firing, trace.firings());
    list(late, trace.withheld());
    for (std::size_t i = 0; all && i < trace.objects().size(); ++i) {
      const TraceObject<D>& o = trace.objects()[i];
      if (o.born > 0) lines_.push_back({o.born, born, i});
      if (o.gone != kNever) lines_.push_back({o.gone, gone, i});
    }
    for (std::size_t i = 0; i < numbers_.size(); ++i)
      if (numbers_[i].before) lines_.push_back({numbers_[i].step, number, i});
    std::stable_sort(lines_.begin(), lines_.end(), [](const Line& x, const Line& y) {
      return std::pair(x.step, x.kind) < std::pair(y.step, y.kind);
    });
  }

  void write(std::ostream& out) {
    for (const Line& line : lines_)
      out << text_of(line).dump(-1, ' ', false, InOrder::error_handler_t::replace) << '\n';
  }

 private:
  enum Kind { touch, firing, late, born, gone, number, over };
  struct Line {
    std::uint64_t step = 0;
    Kind kind = touch;
    std::size_t index = 0;  // in its list
  };

  [[nodiscard]] std::string name(std::uint32_t object) const {
    return trace_.objects()[object].name;
  }
  [[nodiscard]] std::string reaction(std::size_t index) const {
    return trace_.reactions()[index].name;
  }
  void add_sides(InOrder& line, std::uint32_t self, std::uint32_t other) const {
    if (self != kNobody) line["self"] = name(self);
    if (other != kNobody) line["other"] = name(other);
  }
  [[nodiscard]] InOrder text_of(const Line& line) {
    switch (line.kind) {
      case touch:
      case over: return of_touch(trace_.touches()[line.index]);
      case firing: {
        const TraceFiring<D>& f = trace_.firings()[line.index];
        InOrder text{{"step", f.step}, {"time", f.time}, {"reaction", reaction(f.reaction)}};
        add_sides(text, f.self, f.other);
        return text;
      }
      case late: {
        const TraceWithheld& w = trace_.withheld()[line.index];
        InOrder text{{"step", w.step}, {"time", w.time}, {"withheld", reaction(w.reaction)}};
        if (w.claimed_by) text["claimed_by"] = reaction(*w.claimed_by);
        add_sides(text, w.self, w.other);
        return text;
      }
      default: return of_change(line);
    }
  }
  [[nodiscard]] InOrder of_touch(const TraceTouch& t) {
    InOrder line{{"step", t.step},
                 {"time", t.time},
                 {"phase", name_of(t.phase)},
                 {"channel", name_of(t.channel)},
                 {"self", name(t.self)},
                 {"other", name(t.other)}};
    const auto collider = [&](const char* key, std::uint32_t object, std::uint32_t which) {
      if (trace_.objects()[object].colliders.size() > 1) line[key] = which;
    };
    collider("self_collider", t.self, t.self_collider);
    collider("other_collider", t.other, t.other_collider);
    if (t.phase == Phase::end) line["why"] = name_of(t.why);
    if (t.phase == Phase::begin) line["approach_speed"] = t.approach_speed;
    double& parted = parted_[{t.self, t.other, t.channel}];
    if (t.again) {
      line["again"] = true;
      line["apart"] = t.time - parted;
    }
    if (t.phase == Phase::end) parted = t.time;
    return line;
  }
  // Of an object or a number.
  [[nodiscard]] InOrder of_change(const Line& line) const {
    InOrder text{{"step", line.step}, {"time", static_cast<double>(line.step) / trace_.rate()}};
    if (line.kind == number) {
      const TraceNumber& n = numbers_[line.index];
      text["number"] = (n.object == kNobody ? "world" : "@" + name(n.object)) + "." + n.name;
      text["before"] = *n.before;
      text["value"] = n.value;
      return text;
    }
    const TraceObject<D>& o = trace_.objects()[line.index];
    text[line.kind == born ? "born" : "gone"] = o.name;
    if (line.kind == born && !o.kind.empty()) text["kind"] = o.kind;
    if (line.kind == gone && o.remover) text["removed_by"] = reaction(*o.remover);
    return text;
  }

  const Trace<D>& trace_;
  std::vector<TraceNumber> numbers_;
  std::vector<Line> lines_;
  std::map<std::tuple<std::uint32_t, std::uint32_t, Channel>, double> parted_;
};

}  // namespace

template <int D>
void write_events(std::ostream& out, const Trace<D>& trace, bool all) {
  LogWriter<D>(trace, all).write(out);
}

template void write_events(std::ostream&, const Trace<2>&, bool);
template void write_events(std::ostream&, const Trace<3>&, bool);

}  // namespace colvik
