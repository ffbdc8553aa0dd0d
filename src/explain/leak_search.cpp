#include <algorithm>
#include <cmath>

#include "explain/leak_search.h"

namespace colvik::reasons {

namespace {
// A square of open ground: this many strides from its middle to its side.
template <int D>
constexpr double most_open(bool heavy) {
  return D == 3 && !heavy ? 8 : 32;
}
constexpr std::size_t kNear = 24;  // so many places on, each is tried as the next of a way
constexpr std::size_t kMostShown = 6000;
constexpr double kTryApart = 1.0 / 3;  // of the walker's smallest side: jumps from about there
}  // namespace

template <int D>
Search<D>::Search(Ground<D>& ground, const LeakQuestion<D>& question, double resolution)
    : ground_(ground), question_(question), stride_(resolution) {
  const Frame<D>& f = ground.frame();
  const int plane = f.heavy ? D - 1 : D;
  for (int k = 0; k < plane; ++k)
    for (const double sign : {1.0, -1.0})
      directions_.push_back(f.axes[static_cast<std::size_t>(k)] * sign);
  if (plane != 2) return;
  for (const double x : {1.0, -1.0})
    for (const double y : {1.0, -1.0})
      directions_.push_back((f.axes[0] * x + f.axes[1] * y) * std::sqrt(0.5));
}

template <int D>
typename Search<D>::Cell Search<D>::cell_of(const Vec<D>& at) const {
  Cell cell;
  for (std::size_t k = 0; k < cell.size(); ++k)
    cell[k] = static_cast<std::int64_t>(
        std::floor(ground_.frame().axes[k].dot(at - origin_) / stride_ + 0.5));
  return cell;
}

template <int D>
bool Search<D>::first_try(const Vec<D>& at, double size, int kind) {
  std::uint64_t key = static_cast<std::uint64_t>(kind) + 1;
  for (const Vec<D>& axis : ground_.frame().axes)
    key = key * 0x9e3779b97f4a7c15ULL + static_cast<std::uint64_t>(static_cast<std::int64_t>(
                                            std::floor(axis.dot(at - origin_) / size + 0.5)));
  return tried_.insert(key).second;
}

template <int D>
void Search<D>::push(std::uint32_t from, const Vec<D>& at, Going by, bool forced) {
  if (!seen_.add(cell_of(at)) && !forced) return;
  const double length = nodes_[from].length + cost(from, at, by);
  nodes_.push_back({at, length, from, by});
  queue_.emplace(length, static_cast<std::uint32_t>(nodes_.size() - 1));
}

// Where it can walk it need not jump.
template <int D>
double Search<D>::cost(std::uint32_t from, const Vec<D>& at, Going by) const {
  return (at - nodes_[from].at).norm() + (by == Going::jump ? 2 * ground_.smallest() : 0);
}

template <int D>
bool Search<D>::note(std::uint32_t from, const Moved<D>& moved, Going by) {
  const auto way = [&](const Vec<D>& at) {
    Way<D> w = way_to(from);
    w.points.push_back({at, by});
    return w;
  };
  for (const auto& [id, at] : moved.touched) {
    if (std::find(found_.begin(), found_.end(), id) != found_.end()) continue;
    found_.push_back(id);
    for (std::size_t i = 0; i < ground_.targets().size(); ++i)
      if (ground_.targets()[i] == id) leak_->to[i].way = way(at);
  }
  if (const double length = nodes_[from].length + cost(from, moved.at, by);
      moved.out && length < out_) {
    out_ = length;
    leak_->out = way(moved.at);
  }
  return !moved.out;
}

template <int D>
bool Search<D>::over() const {
  const bool all = found_.size() == ground_.targets().size();
  const bool out = !question_.inside || out_ <= queue_.top().first;
  return out && (all || ground_.targets().empty());
}

template <int D>
void Search<D>::run(const Vec<D>& start, Leak<D>& leak) {
  leak_ = &leak;
  origin_ = start;
  nodes_.push_back({start, 0, 0, Going::start});
  seen_.add(cell_of(start));
  const Moved<D> settled = ground_.settle(start);
  if (note(0, settled, Going::fall) && settled.standing) {
    if ((settled.at - start).norm() > stride_) push(0, settled.at, Going::fall, true);
    else nodes_[0].at = settled.at, queue_.emplace(0.0, 0U);
  }
  std::size_t looked = 0;
  while (!queue_.empty() && !over()) {
    const std::uint32_t i = queue_.top().second;
    queue_.pop();
    if (nodes_.size() > question_.most) {
      leak.gave_up = true;
      break;
    }
    if (++looked % 4096 == 0 && question_.progress) question_.progress(nodes_.size());
    expand(i);
  }
  leak.places = nodes_.size();
  const std::vector<Cell> cells = seen_.sample();
  const std::size_t every = cells.size() / kMostShown + 1;
  for (std::size_t i = 0; i < cells.size(); i += every) {
    Vec<D> at = origin_;
    for (std::size_t k = 0; k < cells[i].size(); ++k)
      at += ground_.frame().axes[k] * (static_cast<double>(cells[i][k]) * stride_);
    leak.reached.push_back(at);
  }
  if (leak.out) leak.out = measured(*leak.out);
  for (auto& target : leak.to)
    if (target.way) target.way = measured(*target.way);
}

template <int D>
void Search<D>::expand(std::uint32_t i) {
  const Vec<D> at = nodes_[i].at;
  if (inner_.has(cell_of(at))) return;
  const bool heavy = ground_.frame().heavy;
  if (const double half = ground_.room(at, most_open<D>(heavy) * stride_); half > 0) {
    spread(i, half);
    return;
  }
  for (int k = 0; k < static_cast<int>(directions_.size()); ++k) go(i, k);
  if (!heavy) return;
  if (ground_.on_one_way()) {
    const Moved<D> dropped = ground_.drop(at);
    if (note(i, dropped, Going::drop) && dropped.standing && (dropped.at - at).norm() > stride_)
      push(i, dropped.at, Going::drop);
  }
  if (ground_.jumps()) under_something(i);
  gaps(i, -ground_.frame().axes[D - 1], 0.1 * ground_.smallest());
}

template <int D>
void Search<D>::spread(std::uint32_t i, double half) {
  const Frame<D>& f = ground_.frame();
  const Vec<D> at = nodes_[i].at;
  const int n = static_cast<int>(std::lround(half / stride_));
  const int plane = f.heavy ? D - 1 : D;
  const Cell middle = cell_of(at);
  std::array<int, D> step{};
  for (int k = 0; k < plane; ++k) step[static_cast<std::size_t>(k)] = -n;
  for (bool more = true; more;) {
    Cell cell = middle;
    int most = 0;
    Vec<D> there = at;
    for (std::size_t k = 0; k < cell.size(); ++k) {
      cell[k] += step[k];
      most = std::max(most, std::abs(step[k]));
      there += f.axes[k] * (step[k] * stride_);
    }
    if (most < n) {
      seen_.add(cell);
      inner_.add(cell);
    } else if (ground_.out(there)) {
      note(i, {ground_.border(at, there), true, true, {}}, Going::walk);
    } else {
      push(i, there, Going::walk);
    }
    more = false;
    for (int k = 0; k < plane && !more; ++k) {
      int& s = step[static_cast<std::size_t>(k)];
      more = ++s <= n;
      if (!more) s = -n;
    }
  }
}

template <int D>
void Search<D>::go(std::uint32_t i, int direction) {
  const Vec<D> at = nodes_[i].at;
  const Vec<D>& d = directions_[static_cast<std::size_t>(direction)];
  const Moved<D> moved = ground_.walk(at, d, stride_);
  if (!note(i, moved, Going::walk)) return;
  if (!moved.standing) {
    over_edge(i, moved, direction);
    return;
  }
  if ((moved.at - at).norm() > 0.25 * stride_) push(i, moved.at, Going::walk);
  const double gone = d.dot(moved.at - at);
  if (direction < 2 * D && gone < 0.95 * stride_) gaps(i, d, ground_.smallest());
  if (ground_.jumps() && gone < 0.5 * stride_) jump(i, direction);
}

template <int D>
void Search<D>::over_edge(std::uint32_t i, const Moved<D>& moved, int direction) {
  const Vec<D> at = nodes_[i].at;
  const Vec<D>& d = directions_[static_cast<std::size_t>(direction)];
  const double apart = D == 2 ? stride_ : kTryApart * ground_.smallest();
  const auto land = [&](const Moved<D>& m, Going by) {
    if (note(i, m, by) && m.standing) push(i, m.at, by);
  };
  if (first_try(at, apart, 100 + direction))
    for (const Vec<D>& then : {d, Vec<D>(kZero), Vec<D>(-d)})
      land(ground_.fall(moved.at, then), Going::fall);
  if (!ground_.jumps() || !first_try(at, apart, 200 + direction)) return;
  for (const Vec<D>& then : {d, Vec<D>(kZero), Vec<D>(-d)})
    land(ground_.jump(at, d, then, true), Going::jump);
}

template <int D>
void Search<D>::jump(std::uint32_t i, int direction) {
  const Vec<D> at = nodes_[i].at;
  if (!first_try(at, kTryApart * ground_.smallest(), 300 + direction)) return;
  const Vec<D>& d = directions_[static_cast<std::size_t>(direction)];
  if (ground_.too_high(at, d)) return;
  const std::array<std::pair<Vec<D>, Vec<D>>, 3> tries{
      {{d, d}, {Vec<D>(kZero), d}, {d, Vec<D>(-d)}}};
  for (const auto& [first, second] : tries) {
    const Moved<D> m = ground_.jump(at, first, second, false);
    if (note(i, m, Going::jump) && m.standing) push(i, m.at, Going::jump);
  }
}

template <int D>
void Search<D>::under_something(std::uint32_t i) {
  if (!ground_.above(nodes_[i].at)) return;
  for (int k = 0; k < static_cast<int>(directions_.size()); ++k) jump(i, k);
}

template <int D>
Way<D> Search<D>::way_to(std::uint32_t i) const {
  Way<D> way;
  for (;; i = nodes_[i].before) {
    way.points.push_back({nodes_[i].at, nodes_[i].by});
    if (nodes_[i].before == i) break;
  }
  std::reverse(way.points.begin(), way.points.end());
  return way;
}

// Where it comes to if it walks straight there; nullopt if that is elsewhere.
template <int D>
std::optional<Vec<D>> Search<D>::straight(const Vec<D>& from, const Vec<D>& to, bool last) {
  const Vec<D> way = to - from;
  const double length = way.norm();
  const Frame<D>& f = ground_.frame();
  if (length < 1e-9 * stride_) return from;
  if (f.heavy && std::abs(f.axes[D - 1].dot(way)) > 0.01 * ground_.smallest()) return std::nullopt;
  const Moved<D> moved = ground_.walk(from, way / length, length);
  if (last && moved.out) return moved.at;
  if (!moved.standing || (moved.at - to).norm() > 1e-3 * ground_.smallest()) return std::nullopt;
  return moved.at;
}

template <int D>
Way<D> Search<D>::shortened(const Way<D>& way) {
  Way<D> out;
  out.points.push_back(way.points.front());
  const auto walked = [&](std::size_t k) { return way.points[k].by == Going::walk; };
  const std::size_t end = way.points.size() - 1;
  for (std::size_t i = 0; i < end;) {
    std::size_t next = i + 1;  // the last to which it only walks
    while (walked(i + 1) && next < end && walked(next + 1)) ++next;
    std::optional<Vec<D>> at;
    if (!walked(i + 1)) at = way.points[next].at;
    while (!at) {
      at = straight(out.points.back().at, way.points[next].at, next == end);
      if (at) break;
      if (next == i + 1) at = way.points[next].at;  // along something
      next = next - i > kNear ? i + (next - i) / 2 : next - 1;
    }
    out.points.push_back({*at, way.points[next].by});
    i = next;
  }
  return out.points.size() < way.points.size() ? shortened(out) : out;
}

template <int D>
Way<D> Search<D>::measured(Way<D> way) {
  way = shortened(way);
  const auto same = [&](const auto& a, const auto& b) {
    return a.by == b.by && (a.at - b.at).norm() < 1e-3 * stride_;
  };
  way.points.erase(std::unique(way.points.begin(), way.points.end(), same), way.points.end());
  way.length = 0;
  for (std::size_t i = 1; i < way.points.size(); ++i)
    way.length += (way.points[i].at - way.points[i - 1].at).norm();
  return way;
}

template Search<2>::Search(Ground<2>&, const LeakQuestion<2>&, double);
template Search<3>::Search(Ground<3>&, const LeakQuestion<3>&, double);
template void Search<2>::run(const Vec<2>&, Leak<2>&);
template void Search<3>::run(const Vec<3>&, Leak<3>&);
template void Search<2>::push(std::uint32_t, const Vec<2>&, Going, bool);
template void Search<3>::push(std::uint32_t, const Vec<3>&, Going, bool);
template bool Search<2>::note(std::uint32_t, const Moved<2>&, Going);
template bool Search<3>::note(std::uint32_t, const Moved<3>&, Going);
template bool Search<2>::first_try(const Vec<2>&, double, int);
template bool Search<3>::first_try(const Vec<3>&, double, int);

}  // namespace colvik::reasons
