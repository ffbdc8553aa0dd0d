#include <colvik/insight.hpp>

#include <nlohmann/json.hpp>

#include <map>
#include <ostream>

namespace colvik {

namespace {

using InOrder = nlohmann::ordered_json;

// Collects the lines of a log: each step's touches first, then firings and what was withheld, then
// with `all` what became of objects and numbers; ends with the run come last.
template <int D>
class LogWriter {
 public:
  LogWriter(const Trace<D>& trace, bool all) : trace_(trace), all_(all) {}

  void write(std::ostream& out) {
    for (const TraceTouch& t : trace_.touches()) add(t);
    for (const TraceFiring<D>& f : trace_.firings()) add(f);
    for (const TraceWithheld& w : trace_.withheld()) add(w);
    if (all_) {
      add_objects();
      for (const TraceNumber& n : trace_.number_changes()) add(n);
    }
    std::stable_sort(lines_.begin(), lines_.end(),
                     [](const Line& x, const Line& y) { return x.order < y.order; });
    for (const Line& line : lines_)
      out << line.text.dump(-1, ' ', false, InOrder::error_handler_t::replace) << '\n';
  }

 private:
  enum Kind { touch, firing, late, born, gone, number };
  struct Line {
    std::pair<std::uint64_t, Kind> order;
    InOrder text;
  };

  [[nodiscard]] InOrder name(std::uint32_t object) const {
    return object == kNobody ? InOrder(nullptr) : InOrder(trace_.objects()[object].name);
  }
  [[nodiscard]] double time_of(std::uint64_t step) const {
    return static_cast<double>(step) / trace_.rate();
  }
  void put(std::uint64_t step, Kind kind, InOrder line) {
    lines_.push_back({{step, kind}, std::move(line)});
  }
  void add(const TraceTouch& t) {
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
    put(t.why == EndCause::run_over ? kNever : t.step, touch, std::move(line));
  }
  void add_sides(InOrder& line, std::uint32_t self, std::uint32_t other) const {
    if (self != kNobody) line["self"] = name(self);
    if (other != kNobody) line["other"] = name(other);
  }
  void add(const TraceFiring<D>& f) {
    InOrder line{
        {"step", f.step}, {"time", f.time}, {"reaction", trace_.reactions()[f.reaction].name}};
    add_sides(line, f.self, f.other);
    put(f.step, firing, std::move(line));
  }
  void add(const TraceWithheld& w) {
    InOrder line{
        {"step", w.step}, {"time", w.time}, {"withheld", trace_.reactions()[w.reaction].name}};
    if (w.claimed_by) line["claimed_by"] = trace_.reactions()[*w.claimed_by].name;
    add_sides(line, w.self, w.other);
    put(w.step, late, std::move(line));
  }
  void add_objects() {
    for (const TraceObject<D>& o : trace_.objects()) {
      if (o.born > 0) {
        InOrder line{{"step", o.born}, {"time", time_of(o.born)}, {"born", o.name}};
        if (!o.kind.empty()) line["kind"] = o.kind;
        put(o.born, born, std::move(line));
      }
      if (o.gone == kNever) continue;
      InOrder line{{"step", o.gone}, {"time", time_of(o.gone)}, {"gone", o.name}};
      if (o.remover) line["removed_by"] = trace_.reactions()[*o.remover].name;
      put(o.gone, gone, std::move(line));
    }
  }
  void add(const TraceNumber& n) {
    if (!n.before) return;  // what it begins with
    const std::string owner = n.object == kNobody ? "world" : "@" + trace_.objects()[n.object].name;
    put(n.step, number,
        {{"step", n.step},
         {"time", time_of(n.step)},
         {"number", owner + "." + n.name},
         {"before", *n.before},
         {"value", n.value}});
  }

  const Trace<D>& trace_;
  bool all_;
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
