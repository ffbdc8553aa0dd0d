#pragma once
// Islands through which single contacts hand weight down too slowly: solved directly.
#include <cstdint>
#include <memory>
#include <vector>

#include "dynamics/moving.h"

namespace colvik::dynamics {

/// One pass of one contact after the other hands weight on by one body, so that a pile of n wants
/// some n squared passes, and more where what lies above is the heavier. In such islands the
/// contacts that push, and their friction, are taken together as springs that hardly give, and the
/// bodies' velocities are found from them directly: (M + J' J / give) dv = -J' (...) / give, by
/// sparse Cholesky factors (Lacoursiere, "Ghosts and machines", 2007, chapters 3 and 8). Contacts
/// that would have to pull are let go, those that would need more friction than there is slide, and
/// the rest is solved again. The passes that follow find little left to do. Deterministic: depends
/// on nothing but its input.
template <int D>
class DirectSolver {
 public:
  DirectSolver();
  ~DirectSolver();
  DirectSolver(DirectSolver&&) noexcept;
  DirectSolver& operator=(DirectSolver&&) noexcept;
  /// Finds the islands among the contacts, and marks these: those that are high or have heavy on
  /// light, unless they are so wide that factors would be dear. Cost: linear in contacts and
  /// bodies, but for sorting those of such islands.
  void find(std::span<const Moving<D>> moving, std::span<Listed> listed,
            std::span<const Contact<D>> contacts);
  [[nodiscard]] bool empty() const { return used_ == 0; }

  /// Changes impulses and velocities of contacts that push or are about to. With `separate` overlap
  /// is removed as stated; without it only the velocity is corrected.
  void solve(std::span<Moving<D>> moving, std::span<Contact<D>> contacts,
             std::span<const Rows<D>> rows, const Removal& removal, bool separate);

 private:
  static constexpr int kSize = D + kTurnAxes<D>;  // unknowns of a body
  using Part = Eigen::Matrix<double, kSize, 1, Eigen::DontAlign>;
  using Block = Eigen::Matrix<double, kSize, kSize, Eigen::DontAlign>;
  struct Line {  // of J
    std::uint32_t contact = 0;
    int point = 0;
    bool normal = true;
    bool active = false;
    Vec<D> along;
    Part on_a;
    Part on_b;
    std::uint32_t body_a = 0;
    std::uint32_t body_b = 0;  // places in the island
    double give = 0;           // speed for an impulse of one
    double wanted = 0;
    double off = 0;     // speed at which it should close, and what is amiss
    double change = 0;  // of its impulse
  };
  struct Island;
  [[nodiscard]] std::span<const std::uint32_t> neighbours(std::uint32_t body) const {
    return std::span(first_).subspan(start_[body], start_[body + 1] - start_[body]);
  }
  void find_neighbours(std::span<const Moving<D>> moving, std::span<const Listed> listed);
  bool find_depths();
  std::uint32_t gather_island(std::uint32_t source);
  bool order_island(std::uint32_t high);
  void lay_out(Island& island, std::span<const Moving<D>> moving,
               std::span<const Contact<D>> contacts);
  void factor(Island& island, std::span<const Moving<D>> moving);
  void choose(Island& island, std::span<const Moving<D>> moving,
              std::span<const Contact<D>> contacts, std::span<const Rows<D>> rows,
              const Removal& removal, bool separate);
  bool let_go(Island& island, std::span<Moving<D>> moving, std::span<Contact<D>> contacts);

  std::vector<std::unique_ptr<Island>> islands_;
  std::size_t used_ = 0;
  std::vector<double> light_;          // greatest inverse mass, by body; below 0: nothing moves it
  std::vector<std::uint64_t> sorted_;  // members by depth
  std::vector<std::uint32_t> width_;   // members, by depth
  std::vector<std::uint32_t> place_;   // of a body within its island
  std::vector<std::uint32_t> root_;
  std::vector<std::uint32_t> depth_;
  std::vector<std::uint32_t> first_;
  std::vector<std::uint32_t> next_;
  std::vector<std::uint32_t> queue_;
  std::vector<std::uint32_t> members_;
  std::vector<std::uint32_t> start_;  // by body, of its neighbours in first_
};

}  // namespace colvik::dynamics
