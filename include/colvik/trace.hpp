#pragma once
/// What happened in a run. Logs, expectations and pictures read the trace, never the world.

#include <colvik/export.hpp>
#include <colvik/rules.hpp>

#include <map>

namespace colvik {

inline constexpr std::uint32_t kNobody = 0xffffffff;
inline constexpr std::uint64_t kNever = ~std::uint64_t{0};

/// An object that was there at some time. Tags and colliders are those it had when last seen.
template <int D>
struct TraceObject {
  std::string name;
  std::string kind;
  BodyKind body = BodyKind::fixed;
  TagSet tags;
  std::vector<Party> parties;  ///< one for each collider
  std::vector<ColliderDef<D>> colliders;
  std::vector<Drawing<D>> drawings;
  bool mirrored = false;
  std::vector<Number> numbers;  ///< when last seen
  Pose<D> first_pose;
  std::uint64_t born = 0;                ///< step; 0: there from the start
  std::uint64_t gone = kNever;           ///< step after which it was removed
  std::optional<std::size_t> remover{};  ///< the reaction that removed it; none: left, or from C++
  bool active = true;
};

struct TraceTouch {
  std::uint64_t step = 0;
  double time = 0;
  Phase phase = Phase::begin;
  Channel channel = Channel::solid;
  EndCause why = EndCause::none;
  std::uint32_t self = kNobody;
  std::uint32_t other = kNobody;  ///< indices of objects
  TagSet self_tags;
  TagSet other_tags;
  double approach_speed = 0;
  double impulse = 0;
  bool again = false;
  std::uint32_t self_collider = 0;
  std::uint32_t other_collider = 0;  ///< positions in the objects' lists
};

/// A collider was switched on or off, or its schedule gave it another size.
struct TraceColliderChange {
  std::uint64_t step = 0;
  std::uint32_t collider = 0;  ///< position in the object's list
  bool on = true;
  double scale = 1;  ///< of its first size
};

/// A number got another value.
struct TraceNumber {
  std::uint64_t step = 0;
  std::uint32_t object = kNobody;  ///< kNobody: of the world
  std::string name;
  double value = 0;
  std::optional<double> before{};  ///< nullopt: its first value
};

template <int D>
struct TraceFiring {
  std::uint64_t step = 0;
  double time = 0;
  std::size_t reaction = 0;
  std::uint32_t self = kNobody;
  std::uint32_t other = kNobody;
  TagSet self_tags;
  TagSet other_tags;
  std::optional<Vec<D>> place;  ///< where the touch was, or where self stood
};

struct TraceWithheld {
  std::uint64_t step = 0;
  double time = 0;
  std::size_t reaction = 0;
  std::optional<std::size_t> claimed_by;
  std::uint32_t self = kNobody;
  std::uint32_t other = kNobody;
};

/// Hash over a world and its rules: equal hashes, equal runs from here on. Cost: proportional to
/// what there is.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::uint64_t state_hash(const World<D>& world, const Rules<D>& rules);

template <int D>
struct TraceMaker;

template <int D>
class COLVIK_EXPORT Trace {
 public:
  /// Records the objects that exist before the first step.
  void start(const World<D>& world, const Rules<D>& rules);
  /// What is recorded from now on comes after what was: the world's time begins again.
  void go_on();
  /// Notes what the last step (or finish) did.
  void record(const World<D>& world, const Rules<D>& rules);

  [[nodiscard]] const Tags& tags() const { return tags_; }
  [[nodiscard]] double rate() const { return rate_; }
  [[nodiscard]] std::span<const std::string> kinds() const { return kinds_; }  ///< declared ones
  [[nodiscard]] double metre() const { return metre_; }
  [[nodiscard]] const Vec<D>& gravity() const { return gravity_; }
  [[nodiscard]] std::uint64_t steps() const { return steps_; }
  [[nodiscard]] double time() const { return static_cast<double>(steps_) / rate_; }
  [[nodiscard]] std::span<const TraceObject<D>> objects() const { return objects_; }
  [[nodiscard]] std::span<const TraceTouch> touches() const { return touches_; }
  [[nodiscard]] std::span<const TraceFiring<D>> firings() const { return firings_; }
  /// Starts that came too late; see Rules::withheld.
  [[nodiscard]] std::span<const TraceWithheld> withheld() const { return withheld_; }
  [[nodiscard]] std::span<const ReactionReport> reactions() const { return reactions_; }
  [[nodiscard]] std::span<const Number> numbers() const { return numbers_; }
  [[nodiscard]] const std::optional<std::string>& outcome() const { return outcome_; }
  /// Value of a number at the end of `step`: of an object, or of the world (kNobody).
  [[nodiscard]] std::optional<double> number_at(std::uint32_t object, std::string_view name,
                                                std::uint64_t step) const;
  /// The least and greatest value it had.
  [[nodiscard]] std::optional<std::pair<double, double>> number_range(std::uint32_t object,
                                                                      std::string_view name) const;
  /// All values that numbers came to have, by step, then object, then name.
  [[nodiscard]] std::vector<TraceNumber> number_changes() const;
  [[nodiscard]] TagSet tags_at(std::uint32_t object, std::uint64_t step) const;
  /// From which steps on it had which tags.
  [[nodiscard]] std::span<const std::pair<std::uint64_t, TagSet>> tag_changes(
      std::uint32_t object) const {
    return tag_samples_[object];
  }
  /// By step, then collider; the first ones, of the step that it came in, are those that were off
  /// or of another size then.
  [[nodiscard]] std::span<const TraceColliderChange> collider_changes(std::uint32_t object) const {
    return collider_changes_[object];
  }
  /// What a collider of it was after those changes at the end of `step`.
  [[nodiscard]] TraceColliderChange collider_state_at(std::uint32_t object, std::size_t collider,
                                                      std::uint64_t step) const;
  [[nodiscard]] bool is_on(std::uint32_t object, std::size_t collider, std::uint64_t step) const {
    return collider_state_at(object, collider, step).on;
  }
  /// A collider of it as it was at the end of `step`: on or off, and in its size then.
  [[nodiscard]] ColliderDef<D> collider_at(std::uint32_t object, std::size_t collider,
                                           std::uint64_t step) const;
  /// How a walker stood at the end of `step`; nullopt if the object is no walker.
  struct WalkSample {
    std::uint64_t step = 0;
    bool standing = false;
    std::uint32_t on = kNobody;  ///< index of the object it stands on
    double highest = 0;          ///< of its position along its up, in the run until then
  };
  [[nodiscard]] std::optional<WalkSample> walking_at(std::uint32_t object,
                                                     std::uint64_t step) const;
  /// Each change of it; none of what is no walker.
  [[nodiscard]] std::span<const WalkSample> walk_changes(std::uint32_t object) const {
    return walk_samples_[object];
  }
  /// Where touch i of touches() was, and its normal towards self, in the world.
  struct TouchPlace {
    Vec<D> point = kZero;
    Vec<D> normal = kZero;
  };
  [[nodiscard]] std::span<const TouchPlace> touch_places() const { return touch_places_; }
  /// A pose from a step on, until the next one.
  struct Sample {
    std::uint64_t step = 0;
    bool shown = true;
    bool asleep = false;
    Pose<D> pose;
  };
  [[nodiscard]] std::span<const Sample> samples(std::uint32_t object) const {
    return samples_[object];
  }
  [[nodiscard]] std::size_t restarts() const { return restarts_; }
  [[nodiscard]] std::size_t left() const {
    return left_;
  }  ///< objects that left the world's bounds
  [[nodiscard]] std::size_t live() const { return live_; }
  [[nodiscard]] std::size_t peak() const { return peak_; }
  [[nodiscard]] std::uint64_t hash() const {
    return hash_;
  }  ///< of the state the run ended with; 0 before it is over

  /// Where the object was at the end of `step`; nullopt before it was born, after it was removed
  /// and while it was hidden. O(log n).
  [[nodiscard]] std::optional<Pose<D>> pose_at(std::uint32_t object, std::uint64_t step) const;
  /// Whether it slept at the end of `step`; false while it is not there. O(log n).
  [[nodiscard]] bool asleep_at(std::uint32_t object, std::uint64_t step) const;
  /// Index of the object with that name; of several (one after another) the last. kNobody if none.
  [[nodiscard]] std::uint32_t find(std::string_view name) const;

 private:
  friend struct TraceMaker<D>;  // reads recordings
  struct NumberSample {
    std::uint64_t step = 0;
    double value = 0;
  };
  using NumberKey = std::pair<std::uint32_t, std::string>;
  [[nodiscard]] const Sample* sample_at(std::uint32_t object, std::uint64_t step) const;
  void note_objects(const World<D>& world, const Rules<D>& rules);
  void note_walking(const World<D>& world, std::uint32_t object);
  void note_numbers(std::uint32_t object, std::span<const Number> numbers);
  void note_colliders(const Object<D>& now, std::uint32_t object);
  std::uint32_t note_object(const World<D>& world, ObjectId id);
  std::uint32_t index_of(const World<D>& world, ObjectId id);

  Tags tags_;
  std::vector<std::string> kinds_;
  double rate_ = 60;
  double metre_ = 1;
  Vec<D> gravity_ = kZero;
  std::uint64_t steps_ = 0;
  std::uint64_t hash_ = 0;
  std::uint64_t before_ = 0;  // before_: steps of the runs before a restart
  std::size_t restarts_ = 0;
  std::vector<TraceObject<D>> objects_;
  std::vector<std::vector<Sample>> samples_;  // by object: its poses, where they changed
  std::map<NumberKey, std::vector<NumberSample>> number_samples_;           // where they changed
  std::vector<std::vector<std::pair<std::uint64_t, TagSet>>> tag_samples_;  // by object, likewise
  std::vector<std::vector<TraceColliderChange>> collider_changes_;          // by object
  std::vector<std::vector<std::pair<bool, double>>> colliders_now_;         // on, and scale
  std::vector<std::vector<WalkSample>> walk_samples_;                       // by object, likewise
  std::vector<ObjectId> there_;         // memory for the world's objects
  std::vector<ObjectId> ids_;           // by object, while it is alive
  std::vector<std::uint32_t> by_slot_;  // from a slot to the object last seen in it
  std::vector<TraceTouch> touches_;
  std::vector<TouchPlace> touch_places_;  // of those
  std::vector<TraceFiring<D>> firings_;
  std::vector<TraceWithheld> withheld_;
  std::vector<ReactionReport> reactions_;
  std::vector<Number> numbers_;
  std::optional<std::string> outcome_;
  std::size_t live_ = 0;
  std::size_t peak_ = 0;
  std::size_t left_ = 0;
};

extern template class Trace<2>;
extern template class Trace<3>;

}  // namespace colvik
