#include "dynamics/direct.h"

#include <Eigen/LU>
#include <Eigen/SparseCholesky>

#include <algorithm>
#include <numeric>

#include "dynamics/tolerances.h"

namespace colvik::dynamics {
namespace {

constexpr std::uint32_t kNone = 0xffffffff;
constexpr double kStill = -1;

bool counts(const Listed& c) { return !c.guard && c.count > 0; }

template <int D>
Vec<D> velocity_at(const Contact<D>& c, const SolverPoint<D>& p, const Moving<D>& a,
                   const Moving<D>& b) {
  return b.velocity + cross(b.spin, p.arm_b) - a.velocity - cross(a.spin, p.arm_a) + c.surface;
}

}  // namespace

// One island, and the factors of its system.
template <int D>
struct DirectSolver<D>::Island {
  std::vector<std::uint32_t> bodies;    // furthest from the ground first
  std::vector<std::uint32_t> contacts;  // in their order
  std::vector<Line> lines;
  std::vector<bool> factored;  // the lines that the factors are of
  Eigen::SparseMatrix<double> matrix;
  Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>, Eigen::Upper, Eigen::NaturalOrdering<int>>
      factors;
  Eigen::VectorXd right;
  bool good = false;
};

template <int D>
DirectSolver<D>::DirectSolver() = default;
template <int D>
DirectSolver<D>::~DirectSolver() = default;
template <int D>
DirectSolver<D>::DirectSolver(DirectSolver&&) noexcept = default;
template <int D>
DirectSolver<D>& DirectSolver<D>::operator=(DirectSolver&&) noexcept = default;

template <int D>
void DirectSolver<D>::find_neighbours(std::span<const Moving<D>> moving,
                                      std::span<const Listed> listed) {
  light_.resize(moving.size());
  for (std::size_t i = 0; i < moving.size(); ++i)
    light_[i] = moving[i].movable ? moving[i].inverse_mass.maxCoeff() : kStill;
  start_.assign(moving.size() + 1, 0);
  for (const Listed& c : listed)
    if (counts(c)) {
      ++start_[c.a];
      ++start_[c.b];
    }
  std::exclusive_scan(start_.begin(), start_.end(), start_.begin(), 0U);
  next_.assign(start_.begin(), start_.end());
  first_.resize(start_[moving.size()]);
  for (const Listed& c : listed)
    if (counts(c)) {
      first_[next_[c.a]++] = c.b;
      first_[next_[c.b]++] = c.a;
    }
}

// Depth: contacts between a body and the nearest immovable one, breadth first. False if no island
// is high or has a heavy body on a light one.
template <int D>
bool DirectSolver<D>::find_depths() {
  const std::size_t n = light_.size();
  depth_.assign(n, kNone);
  queue_.clear();
  for (std::uint32_t i = 0; i < n; ++i)
    if (light_[i] != kStill &&
        std::any_of(neighbours(i).begin(), neighbours(i).end(),
                    [&](std::uint32_t other) { return light_[other] == kStill; })) {
      depth_[i] = 1;
      queue_.push_back(i);
    }
  std::uint32_t deepest = 0;
  bool heavy = false;
  for (std::size_t at = 0; at < queue_.size(); ++at) {
    const std::uint32_t body = queue_[at];
    deepest = std::max(deepest, depth_[body]);
    for (const std::uint32_t other : neighbours(body)) {
      if (light_[other] == kStill) continue;
      if (depth_[other] == kNone) {
        depth_[other] = depth_[body] + 1;
        queue_.push_back(other);
      }
      heavy = heavy || light_[body] > kHeavy * light_[other];
    }
  }
  return deepest >= kHigh || heavy;
}

// Gathers the island of `source`; its greatest depth if the island is high or has a heavy body on a
// light one, else 0.
template <int D>
std::uint32_t DirectSolver<D>::gather_island(std::uint32_t source) {
  members_.assign(1, source);
  root_[source] = source;
  std::uint32_t high = 0;
  bool heavy = false;
  for (std::size_t at = 0; at < members_.size(); ++at) {
    const std::uint32_t body = members_[at];
    high = std::max(high, depth_[body]);
    for (const std::uint32_t other : neighbours(body)) {
      if (light_[other] == kStill) continue;
      heavy = heavy || (depth_[other] >= depth_[body] && light_[body] > kHeavy * light_[other]);
      if (root_[other] == kNone) {
        root_[other] = source;
        members_.push_back(other);
      }
    }
  }
  return high >= kHigh || heavy ? high : 0;
}

// Sorts the gathered island for elimination; false if its factors would take too long.
template <int D>
bool DirectSolver<D>::order_island(std::uint32_t high) {
  // The order of elimination puts all of a depth between its first body and that body's neighbour
  // at the depth before: a lower bound of the work, which rejects most wide islands unsorted.
  width_.assign(high + 1, 0);
  for (const std::uint32_t body : members_) ++width_[depth_[body]];
  double least_work = 0;
  for (std::uint32_t depth = 2; depth <= high; ++depth)
    least_work += static_cast<double>(width_[depth]) * static_cast<double>(width_[depth]);
  const double most_work = kWidest * kWidest * static_cast<double>(members_.size());
  if (least_work > most_work) return false;
  sorted_.clear();  // by depth, the greatest first, then by body
  for (const std::uint32_t body : members_)
    sorted_.push_back(std::uint64_t{~depth_[body]} << 32 | body);
  std::sort(sorted_.begin(), sorted_.end());
  for (std::uint32_t k = 0; k < members_.size(); ++k)
    members_[k] = static_cast<std::uint32_t>(sorted_[k]);
  for (std::uint32_t k = 0; k < members_.size(); ++k) place_[members_[k]] = k;
  // The factors fill what lies between a body and its first neighbour in this order.
  double work = 0;
  for (std::uint32_t k = 0; k < members_.size(); ++k) {
    std::uint32_t least = k;
    for (const std::uint32_t other : neighbours(members_[k]))
      if (light_[other] != kStill) least = std::min(least, place_[other]);
    work += static_cast<double>(k - least) * static_cast<double>(k - least);
  }
  return work <= most_work;
}

template <int D>
void DirectSolver<D>::find(std::span<const Moving<D>> moving, std::span<Listed> listed,
                           std::span<const Contact<D>> contacts) {
  used_ = 0;
  find_neighbours(moving, listed);
  if (!find_depths()) return;
  const auto n = static_cast<std::uint32_t>(moving.size());
  root_.assign(n, kNone);
  place_.resize(n);
  for (const std::uint32_t source : queue_) {
    if (root_[source] != kNone) continue;
    const std::uint32_t high = gather_island(source);
    if (high == 0 || !order_island(high)) continue;
    if (used_ == islands_.size()) islands_.push_back(std::make_unique<Island>());
    Island& island = *islands_[used_++];
    island.bodies = members_;
    island.contacts.clear();
    island.factored.clear();
    for (const std::uint32_t body : members_)
      root_[body] = n + static_cast<std::uint32_t>(used_ - 1);
  }
  for (std::size_t i = 0; i < listed.size() && used_ > 0; ++i) {
    if (!counts(listed[i])) continue;
    for (const std::uint32_t body : {listed[i].a, listed[i].b})
      if (root_[body] != kNone && root_[body] >= n && listed[i].worked != Worked::directly) {
        islands_[root_[body] - n]->contacts.push_back(static_cast<std::uint32_t>(i));
        listed[i].worked = Worked::directly;
      }
  }
  for (std::size_t k = 0; k < used_; ++k) lay_out(*islands_[k], moving, contacts);
}

// The places of the matrix that may be other than zero, column by column, and the lines of J.
template <int D>
void DirectSolver<D>::lay_out(Island& island, std::span<const Moving<D>> moving,
                              std::span<const Contact<D>> contacts) {
  for (std::uint32_t k = 0; k < island.bodies.size(); ++k) place_[island.bodies[k]] = k;
  // Of each body, neighbours before it.
  std::vector<std::vector<std::uint32_t>> above(island.bodies.size());
  const auto place = [&](std::uint32_t body) {
    return moving[body].movable ? place_[body] : kNone;
  };
  island.lines.clear();
  for (const std::uint32_t i : island.contacts) {
    const Contact<D>& c = contacts[i];
    const std::uint32_t a = place(c.a);
    const std::uint32_t b = place(c.b);
    if (a != kNone && b != kNone) above[std::max(a, b)].push_back(std::min(a, b));
    const auto part = [&](std::uint32_t body, const Vec<D>& u, const Vec<D>& arm) {
      Part p = Part::Zero();
      const Moving<D>& m = moving[body];
      if (!m.movable) return p;
      p << u, torque(arm, u);
      for (int axis = 0; axis < D; ++axis)
        if (m.inverse_mass[axis] == 0) p[axis] = 0;
      if (m.inverse_inertia.determinant() == 0) p.template tail<kTurnAxes<D>>().setZero();
      return p;
    };
    const auto t = tangents(c.normal);
    for (int k = 0; k < c.count; ++k) {
      const SolverPoint<D>& p = c.points[static_cast<std::size_t>(k)];
      const auto add = [&](const Vec<D>& along, bool normal) {
        Line line;
        line.contact = i;
        line.point = k;
        line.normal = normal;
        line.along = along;
        line.body_a = a;
        line.body_b = b;
        line.on_a = part(c.a, -along, p.arm_a);
        line.on_b = part(c.b, along, p.arm_b);
        island.lines.push_back(line);
      };
      add(c.normal, true);
      for (const Vec<D>& along : t) add(along, false);
    }
  }
  const int size = static_cast<int>(island.bodies.size()) * kSize;
  island.matrix.resize(size, size);
  island.right.resize(size);
  int filled = 0;
  for (std::vector<std::uint32_t>& list : above) {
    std::sort(list.begin(), list.end());
    list.erase(std::unique(list.begin(), list.end()), list.end());
    filled += static_cast<int>(list.size()) * kSize * kSize + kSize * (kSize + 1) / 2;
  }
  island.matrix.resizeNonZeros(filled);
  int* starts = island.matrix.outerIndexPtr();
  int* inside = island.matrix.innerIndexPtr();
  int at = 0;
  for (std::uint32_t k = 0; k < above.size(); ++k)
    for (int column = 0; column < kSize; ++column) {
      starts[static_cast<int>(k) * kSize + column] = at;
      for (const std::uint32_t other : above[k])
        for (int row = 0; row < kSize; ++row) inside[at++] = static_cast<int>(other) * kSize + row;
      for (int row = 0; row <= column; ++row) inside[at++] = static_cast<int>(k) * kSize + row;
    }
  starts[size] = at;
  island.factors.analyzePattern(island.matrix);
}

template <int D>
void DirectSolver<D>::factor(Island& island, std::span<const Moving<D>> moving) {
  double* values = island.matrix.valuePtr();
  std::fill(values, values + island.matrix.nonZeros(), 0.0);
  const auto add = [&](std::uint32_t row, std::uint32_t column,
                       const Block& block) {  // row <= column
    for (int j = 0; j < kSize; ++j) {
      const int outer = static_cast<int>(column) * kSize + j;
      const int* begin = island.matrix.innerIndexPtr() + island.matrix.outerIndexPtr()[outer];
      const int* end = island.matrix.innerIndexPtr() + island.matrix.outerIndexPtr()[outer + 1];
      double* to = values + (std::lower_bound(begin, end, static_cast<int>(row) * kSize) -
                             island.matrix.innerIndexPtr());
      for (int i = 0; i < (row == column ? j + 1 : kSize); ++i) to[i] += block(i, j);
    }
  };
  for (std::uint32_t k = 0; k < island.bodies.size(); ++k) {
    const Moving<D>& m = moving[island.bodies[k]];
    Block block = Block::Identity();
    for (int axis = 0; axis < D; ++axis)
      if (m.inverse_mass[axis] > 0) block(axis, axis) = 1 / m.inverse_mass[axis];
    if (m.inverse_inertia.determinant() > 0)
      block.template bottomRightCorner<kTurnAxes<D>, kTurnAxes<D>>() = m.inverse_inertia.inverse();
    add(k, k, block);
  }
  island.factored.resize(island.lines.size());
  // Lines of one contact are next to each other: their blocks are summed before they are put in.
  for (std::size_t from = 0; from < island.lines.size();) {
    const Line& head = island.lines[from];
    Block aa = Block::Zero();
    Block ab = Block::Zero();
    Block bb = Block::Zero();
    bool any = false;
    std::size_t to = from;
    for (; to < island.lines.size() && island.lines[to].contact == head.contact; ++to) {
      const Line& line = island.lines[to];
      island.factored[to] = line.active;
      if (!line.active) continue;
      any = true;
      const Part stiff_a = line.on_a / line.give;
      const Part stiff_b = line.on_b / line.give;
      aa += stiff_a * line.on_a.transpose();
      ab += stiff_a * line.on_b.transpose();
      bb += stiff_b * line.on_b.transpose();
    }
    if (any) {
      if (head.body_a != kNone) add(head.body_a, head.body_a, aa);
      if (head.body_b != kNone) add(head.body_b, head.body_b, bb);
      if (head.body_a != kNone && head.body_b != kNone) {
        if (head.body_a < head.body_b) add(head.body_a, head.body_b, ab);
        else add(head.body_b, head.body_a, ab.transpose());
      }
    }
    from = to;
  }
  island.factors.factorize(island.matrix);
  island.good = island.factors.info() == Eigen::Success;
}

// Which lines act, and the velocity required of each.
template <int D>
void DirectSolver<D>::choose(Island& island, std::span<const Moving<D>> moving,
                             std::span<const Contact<D>> contacts, std::span<const Rows<D>> rows,
                             const Removal& removal, bool separate) {
  for (Line& line : island.lines) {
    const Contact<D>& c = contacts[line.contact];
    const SolverPoint<D>& p = c.points[static_cast<std::size_t>(line.point)];
    const Row<D>& row = rows[line.contact].points[static_cast<std::size_t>(line.point)];
    const Moving<D>& a = moving[c.a];
    const Moving<D>& b = moving[c.b];
    if (line.normal) {
      // What pushes, and what will; but what hits hard is stopped by the passes.
      const double gap = gap_within(c, p, row, a, b);
      const double speed = normal_speed(c, row, a, b);
      const bool closes = separate ? gap + speed * removal.step < 0 : gap <= 0 && speed < 0;
      line.active = row.mass > 0 && (p.push > 0 || (closes && speed > -removal.strike));
      if (!line.active) continue;
      line.give = kGive / row.mass;
      line.wanted = separate ? removal.speed(gap) + line.give * p.push : 0;
    } else {
      const double most = c.friction * p.push;
      line.active = row.across > 0 && p.push > 0 && p.drag.squaredNorm() < 0.98 * most * most;
      line.give = kGive / std::max(row.across, 1e-300);
      line.wanted = 0;
    }
  }
}

// Takes out what would pull and what would slide. Whether there was any.
template <int D>
bool DirectSolver<D>::let_go(Island& island, std::span<Moving<D>> moving,
                             std::span<Contact<D>> contacts) {
  bool any = false;
  for (std::size_t k = 0; k < island.lines.size(); k += D) {  // the normal, then the tangents
    Line* line = &island.lines[k];
    Contact<D>& c = contacts[line->contact];
    SolverPoint<D>& p = c.points[static_cast<std::size_t>(line->point)];
    if (!line->active) continue;
    Vec<D> drag = p.drag;
    for (int t = 1; t < D; ++t)
      if (line[t].active) drag += line[t].along * line[t].change;
    const double push = p.push + line->change;
    const double most = c.friction * std::max(push, 0.0);
    const double length = drag.norm();
    if (push < 0) {
      apply(p, Vec<D>(-(line->along * p.push + p.drag)), moving[c.a], moving[c.b]);
      p.push = 0;
      p.drag.setZero();
      for (int t = 0; t < D; ++t) line[t].active = false;
      any = true;
    } else if (line[1].active && length > most) {
      drag *= most / length;
      apply(p, Vec<D>(drag - p.drag), moving[c.a], moving[c.b]);
      p.drag = drag;
      for (int t = 1; t < D; ++t) line[t].active = false;
      any = true;
    }
  }
  return any;
}

template <int D>
void DirectSolver<D>::solve(std::span<Moving<D>> moving, std::span<Contact<D>> contacts,
                            std::span<const Rows<D>> rows, const Removal& removal, bool separate) {
  for (std::size_t at = 0; at < used_; ++at) {
    Island& island = *islands_[at];
    choose(island, moving, contacts, rows, removal, separate);
    for (int round = 0; round < kRounds; ++round) {
      bool same = island.factored.size() == island.lines.size();
      for (std::size_t k = 0; k < island.lines.size() && same; ++k)
        same = island.factored[k] == island.lines[k].active;
      if (!same) factor(island, moving);
      if (!island.good) break;
      island.right.setZero();
      for (Line& line : island.lines) {
        if (!line.active) continue;
        const Contact<D>& c = contacts[line.contact];
        const SolverPoint<D>& p = c.points[static_cast<std::size_t>(line.point)];
        line.off = line.along.dot(velocity_at(c, p, moving[c.a], moving[c.b])) + line.wanted;
        const double force = -line.off / line.give;
        if (line.body_a != kNone)
          island.right.template segment<kSize>(line.body_a * kSize) += line.on_a * force;
        if (line.body_b != kNone)
          island.right.template segment<kSize>(line.body_b * kSize) += line.on_b * force;
      }
      island.right = island.factors.solve(island.right);
      for (Line& line : island.lines) {
        if (!line.active) continue;
        double by = line.off;
        if (line.body_a != kNone)
          by += line.on_a.dot(island.right.template segment<kSize>(line.body_a * kSize));
        if (line.body_b != kNone)
          by += line.on_b.dot(island.right.template segment<kSize>(line.body_b * kSize));
        line.change = -by / line.give;
      }
      if (let_go(island, moving, contacts)) continue;
      for (const Line& line : island.lines) {
        if (!line.active) continue;
        Contact<D>& c = contacts[line.contact];
        SolverPoint<D>& p = c.points[static_cast<std::size_t>(line.point)];
        if (line.normal) p.push += line.change;
        else p.drag += line.along * line.change;
        apply(p, Vec<D>(line.along * line.change), moving[c.a], moving[c.b]);
      }
      break;
    }
  }
}

template class DirectSolver<2>;
template class DirectSolver<3>;

}  // namespace colvik::dynamics
