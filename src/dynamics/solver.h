#pragma once
// Moves bodies through one step under gravity, forces and contacts.
#include <cstdint>
#include <span>
#include <vector>

#include "dynamics/direct.h"
#include "dynamics/free_turn.h"
#include "dynamics/simd_contacts.h"

namespace colvik::dynamics {

struct SolverSettings {
  double step = 1.0 / 60;  // seconds
  int substeps = 8;
  double metre = 1;  // user's units in a metre; every tolerance follows from it
};

/// When a gap that closes at `speed`, which grows by `gain` a second, is closed, in seconds;
/// infinite if never.
[[nodiscard]] double time_to_close(double gap, double speed, double gain);

/// Advances bodies by one step of several substeps. Call begin, replace, then substep as often as
/// the settings say, then end; in between the caller may replace contacts again. Plain contacts are
/// solved in SIMD batches (see SimdContacts), then the others in their order; first those of the
/// whole step, then likewise those that came within it, then those that are fast. After `end`, and
/// those that came within the step after each substep, they have the impulses that acted.
///
/// Contact is made of many small steps with warm-started impulses (Macklin and others, "Small steps
/// in physics simulation", 2019); overlap is removed by a damped spring (Lacoursiere, "Ghosts and
/// machines", 2007) whose velocity is taken out again before the positions are used further;
/// friction is a Coulomb cone. What bounces does so at its own time within the substep, one contact
/// after the other, so that its energy is neither lost nor made (Newton's law of restitution; for
/// the order: Guendelman and others, "Nonconvex rigid bodies with stacking", 2003). A body that
/// nothing pushes follows its parabola exactly and keeps its angular momentum.
/// Deterministic: depends on nothing but its input.
template <int D>
class Solver {
 public:
  /// Who shares the work: with more than one, bodies and batched contacts
  /// are done in parts.
  math::Crew& crew() { return crew_; }
  /// Without contacts so far.
  void begin(std::span<Body<D>> bodies, const SolverSettings& settings);
  /// The contacts of the whole step, before its first substep: theirs are the gaps and arms of this
  /// moment.
  void set(std::span<Contact<D>> contacts);
  /// Appends others to these. Contacts from `fresh` on are new; those before it are known already
  /// in this step. Those from `fast` on, not before `fresh`, are of what is fast, and must be
  /// stopped at once.
  void replace(std::span<Contact<D>> contacts, std::size_t fresh, std::size_t fast);
  void substep();
  void end();
  /// Puts a body elsewhere in the middle of the step.
  void shift(std::size_t body, const Vec<D>& by) {
    carry(bodies_[body], by);
    moving_[body].moved += by;
    moving_[body].narrow_displacement();
  }

  /// Of b against a at a point, now.
  [[nodiscard]] Vec<D> relative_velocity(const Contact<D>& c, const SolverPoint<D>& p) const;
  /// Of a point, what was moved since the step began taken in.
  [[nodiscard]] double gap_now(const Contact<D>& c, const SolverPoint<D>& p) const;
  [[nodiscard]] double time() const { return substep_ * h_; }  // since the step began
  /// Growth of the speed at which the two approach, per second, without contacts.
  [[nodiscard]] double approach_gain(const Contact<D>& c) const {
    return c.normal.dot(moving_[c.a].gain - moving_[c.b].gain) / h_;
  }
  [[nodiscard]] const Moving<D>& moving(std::size_t body) const { return moving_[body]; }
  [[nodiscard]] double fastest() const { return fastest_; }  // the square of the greatest speed now

 private:
  using Point = SolverPoint<D>;
  static constexpr std::size_t kBodies = 256;  // worked on in one go
  // Contacts that are solved together: the batched ones, and the others' indices.
  struct Batch {
    SimdContacts<D> simd;
    std::vector<std::uint32_t> alone;
  };

  void begin(std::size_t first, std::size_t last);
  void measure(std::size_t first, std::size_t fresh);
  void measure(std::size_t first, std::size_t last, std::size_t fresh);
  void take(Batch& batch, std::size_t first, std::size_t end);
  void prepare(std::size_t contact);
  [[nodiscard]] static Turns turns_of(const Body<D>& b);
  [[nodiscard]] static Inertia<D> inverse_inertia(const Body<D>& b, Turns turns);
  void set_inertia(std::size_t body);
  void accelerate();
  void accelerate(std::size_t first, std::size_t last);
  void warm_start(Contact<D>& c);
  void push(bool separate);
  [[nodiscard]] double first_push_after(double gap, double speed, bool separate) const;
  static double pushed(const Row<D>& row, double gap, double speed, double before, Worked worked,
                       const Pass& pass);
  void push_contact(Contact<D>& c, const Rows<D>& rows, Worked worked, const Pass& pass);
  void resist_turning(Contact<D>& c, const Rows<D>& rows);
  void hits();
  bool hit(Contact<D>& c, const Rows<D>& rows);
  void move();
  void move(std::size_t first, std::size_t last);
  void clamp_energy();
  // guard_energy.cpp
  [[nodiscard]] bool is_fast(const Vec<D>& velocity, const Spin<D>& spin) const;
  [[nodiscard]] double energy(std::uint32_t body) const;
  [[nodiscard]] double energy_before(std::uint32_t body) const;
  enum class Judged : std::uint8_t { not_yet, before_moving, at_the_end, excused };
  void know_neighbours();
  void know_watched();
  [[nodiscard]] bool gather_group(std::uint32_t body, Judged pass);
  void watch_energy();
  void watch_hit(std::uint32_t body);
  void slow_turning(std::uint32_t body, double excess);
  void limit_energy(std::uint32_t body, Judged pass);
  void guard_motion();
  void guard_energy();
  void list_fast();
  void find_wild(std::size_t first, std::size_t last, std::size_t worker);
  void turn(std::size_t body);
  static void carry(Body<D>& b, const Vec<D>& by);
  [[nodiscard]] bool counts(const Contact<D>& c) const {
    const Moving<D>& a = moving_[c.a];
    const Moving<D>& b = moving_[c.b];
    return !c.guard || a.pushed || b.pushed || a.hit || b.hit;
  }

  math::Crew crew_;
  std::span<Body<D>> bodies_;
  std::span<Contact<D>> contacts_;
  math::Many<Moving<D>> moving_;
  std::vector<Listed> listed_;  // by contact
  math::Many<Rows<D>> rows_;    // likewise, of those that are solved one by one
  struct Closing {
    double time = 0;   // seconds from now; infinite: never
    double speed = 0;  // then
  };
  [[nodiscard]] Closing closing(const Contact<D>& c, int k) const;
  [[nodiscard]] bool bounces(const Closing& closing) const;
  struct Coming {
    std::uint32_t contact = 0;
    int point = 0;
    Closing at{};
  };
  void find_coming();
  void strike_together();
  std::vector<Coming> coming_;  // at the start of the substep
  // Of bodies that turned freely in this step.
  std::vector<PrincipalAxes> principal_;
  std::vector<std::uint8_t> knows_principal_;
  std::vector<double> struck_at_;        // by body: seconds into the substep, below 0: not
  std::vector<std::uint32_t> bouncing_;  // contacts with restitution
  std::vector<std::uint32_t> wild_;      // bodies that are to be calmed
  struct Watched {
    std::uint32_t body = 0;
    double energy = 0;  // at the beginning of the substep, with what forces may add
    Vec<D> expected;    // velocity at its end without contacts
    double speed = 0;   // no more than this without contacts, squared
    double spin = 0;    // squared
  };
  [[nodiscard]] const Watched* watched(std::uint32_t body) const;
  [[nodiscard]] bool is_no_faster(std::uint32_t body) const;
  [[nodiscard]] bool moves_freely(std::uint32_t body) const;
  void watch_energy(std::uint32_t body, std::vector<Watched>& among) const;
  std::vector<Watched> hit_;               // those that were slow until something hit them
  std::vector<std::uint32_t> fast_;        // bodies whose energy is watched
  std::vector<Watched> watched_;           // those that were fast then
  std::vector<std::uint32_t> watched_at_;  // by body: its place among these, if it has one
  std::vector<std::uint32_t> group_;       // bodies that exchange impulses
  struct Neighbours {
    std::vector<std::uint32_t> first;  // by body: where its contacts begin; empty: not known yet
    std::vector<std::uint32_t> contacts;
    std::vector<Judged> known;  // by body: of the group that it is in
  };
  Neighbours neighbours_;
  // By worker: those that it found, and the square of the greatest speed that it saw.
  struct alignas(64) Seen {
    std::vector<std::uint32_t> wild;
    std::vector<std::uint32_t> fast;
    double fastest = 0;
  };
  std::vector<Seen> seen_;
  struct Allowed {
    double speed = 0;  // metres a second, of the end of the lever
    double lever = 0;
  };
  std::vector<Allowed> allowed_;  // by place among these
  DirectSolver<D> direct_;
  Batch steady_;
  Batch late_;
  Batch quick_;  // contacts of the whole step, those that came within it, and those that are fast
  SolverSettings settings_;
  std::size_t whole_ = 0;  // contacts of the whole step
  int substep_ = 0;
  double h_ = 0;
  double fastest_ = 0;
  Pass pass_;
};

}  // namespace colvik::dynamics
