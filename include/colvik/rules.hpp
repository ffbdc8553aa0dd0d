#pragma once
/// The reactions of a world.

#include <colvik/attempt.hpp>
#include <colvik/export.hpp>
#include <colvik/reaction.hpp>
#include <colvik/world.hpp>

namespace colvik {

/// A reaction's name, and how often it fired.
struct ReactionReport {
  std::string name;
  Who self;
  Who other;
  Start when;
  std::uint64_t fired = 0;
  std::uint64_t idle_effects = 0;  ///< effects that found their object gone or lacking the number
  // Starts that fitted and yet did not fire, by what held them back.
  std::uint64_t stopped_going = 0;  ///< one of the two was going
  std::uint64_t stopped_off = 0;    ///< it was switched off
  std::uint64_t stopped_guard = 0;  ///< a condition did not hold
  std::uint64_t stopped_limit = 0;  ///< once, most or cooldown
};

/// A start of a reaction that came too late: an earlier one had already requested the removal of
/// one of the two.
struct Withheld {
  std::uint64_t step = 0;
  double time = 0;
  std::size_t reaction = 0;                 ///< index, in order of adding
  std::optional<std::size_t> claimed_by{};  ///< likewise; nullopt: the program itself
  std::optional<ObjectId> self{};
  std::optional<ObjectId> other{};
};

/// Listens to a world and runs its reactions. All effects of a step apply together at its end, in
/// the order of the reactions. Within a step an earlier reaction has the first claim: what it asks
/// to remove is `going`, and starts nothing more but the other reactions to that very touch, so
/// that both sides see the hit and nothing is taken twice.
template <int D>
class COLVIK_EXPORT Rules {
 public:
  /// The world must outlive the rules.
  explicit Rules(World<D>& world);
  ~Rules();
  Rules(const Rules&) = delete;
  Rules& operator=(const Rules&) = delete;

  /// Adds a reaction; reactions run in the order of adding. Fails on a second of the same name, an
  /// undeclared tag or number of the world, or a value that cannot be used.
  Result<void> add(Reaction<D> reaction);
  /// Starts, in the next step, the reactions that wait for this input.
  void input(std::string_view name);
  [[nodiscard]] std::span<const ReactionReport> reports() const;
  /// As it was added; `index` counts in that order and is one of reports().
  [[nodiscard]] const Reaction<D>& reaction(std::size_t index) const;
  /// What fired in the last step, in order.
  [[nodiscard]] std::span<const Firing<D>> fired() const;
  /// What would have fired in the last step, had another not had the first claim; in order.
  [[nodiscard]] std::span<const Withheld> withheld() const;
  /// From now on attempts() lists what each step starts, also what does not fire. Each call with
  /// false takes one with true back. Cost: nothing while nobody asks.
  void ask_attempts(bool on = true);
  /// What the last step started, in order, with what held it back; empty unless ask_attempts.
  [[nodiscard]] std::span<const Attempt<D>> attempts() const;
  /// How often the reaction of that name fired; 0 if there is none.
  [[nodiscard]] std::uint64_t count(std::string_view name) const;
  /// The reaction that requested the removal of an object, in this or an earlier step; nullopt:
  /// none.
  [[nodiscard]] std::optional<std::size_t> remover(ObjectId id) const;
  /// Set by the effect `finish`.
  [[nodiscard]] const std::optional<std::string>& outcome() const;
  /// The effect `restart` fired. Run then ends all touches ("run over") and lets world and
  /// reactions be as they were before the first step; whoever steps a world without Run does so
  /// with save() and load(). Clears the wish.
  [[nodiscard]] bool wants_restart();
  /// As before the first step, but for the counts in reports(), which go on.
  void begin_again();
  /// Latches, delays, counts and remembered numbers, as bytes (see World::save).
  [[nodiscard]] std::vector<std::byte> save() const;
  /// Becomes what was saved of the same reactions. Load the world first. Fails, changing nothing,
  /// on bytes that are damaged or of other reactions.
  Result<void> load(std::span<const std::byte> saved);
  /// Hash over latches, delays and remembered numbers.
  [[nodiscard]] std::uint64_t hash() const;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

extern template class Rules<2>;
extern template class Rules<3>;

}  // namespace colvik
