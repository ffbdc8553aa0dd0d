#pragma once
// A step as lines of JSON, which docs/recording.md describes. Keeps what was said last of each
// object, as only changes are said.
#include <colvik/recording.hpp>

#include <fmt/format.h>

#include <array>

namespace colvik::recording {

inline constexpr int kVersion = 1;
inline constexpr double kUnitsInMetre = 16384;
inline constexpr double kTurnUnit = 1.0 / 8192;
template <int D>
inline constexpr std::size_t kPoseParts = D == 2 ? 3 : 7;  // position, and angle or quaternion
template <int D>
using PoseUnits = std::array<std::int64_t, kPoseParts<D>>;

inline constexpr std::size_t kBentFrom = 3;  // parts from here on are those of a quaternion

template <int D>
class StepLines {
 public:
  StepLines(const World<D>& world, const Rules<D>& rules);

  // Room for busy steps, so that one that is busier than those before needs no more memory.
  void reserve(std::size_t bytes);
  // What the last step did; the text is valid until the next call. `whole` says all there is, so
  // that what follows can be read without what was before.
  std::string_view step(bool whole);
  // The world is as it was at its start, and its time begins again.
  void begin_again();
  // Objects that the last step was the first to name, and how they are described.
  struct Description {
    std::uint32_t number = 0;
    std::string line{};
  };
  [[nodiscard]] std::span<const Description> descriptions() const { return descriptions_; }
  // Numbers of objects that the last step saw go.
  [[nodiscard]] std::span<const std::uint32_t> gone() const { return gone_; }
  // The first lines of a recording: what does not change, and tags and reactions.
  [[nodiscard]] std::string head(const RecordingAbout<D>& about, double since) const;
  // The last line.
  [[nodiscard]] std::string tail(std::span<const Judged> verdicts) const;
  // Lines for tags and reactions that came since the head or the last call; "" usually.
  std::string_view late_names();
  [[nodiscard]] std::uint64_t steps() const { return before_ + world_.steps(); }

 private:
  struct Known {
    ObjectId id{};
    std::uint32_t number = kNobody;
    bool live = false;
    bool shown = true;
    bool asleep = false;
    bool mirrored = false;
    bool walks = false;
    bool standing = false;
    std::int64_t on = -1;
    double highest = 0;
    std::uint64_t moved_at = 0;  // step in which it moved last
    Pose<D> pose{};
    double angle = 0;  // 2D
    PoseUnits<D> at{};
    PoseUnits<D> rate{};  // how it changed in its last step, and how that had changed
    PoseUnits<D> bend{};
    TagSet tags{};
    std::vector<double> numbers{};
    std::vector<std::pair<bool, double>> colliders{};  // on, and scale
    bool changed = false;                              // one of them, ever
  };
  // A list of one key, with commas between its items.
  struct List {
    const char* key = "";
    fmt::memory_buffer text{};
    void next() {
      if (text.size() > 0) text.push_back(',');
    }
  };
  enum Key {
    objects,
    moved,
    shown,
    asleep,
    changed,
    tagged,
    gone_ones,
    numbers,
    walkers,
    touches,
    fired,
    withheld,
    kKeys
  };
  template <class... T>
  void say(Key key, fmt::format_string<T...> form, T&&... what) {
    lists_[key].next();
    fmt::format_to(std::back_inserter(lists_[key].text), form, std::forward<T>(what)...);
  }
  Known& note(ObjectId id, bool whole);
  void note_first(Known& known, const Object<D>& o);
  void note_pose(Known& known, const Object<D>& o);
  PoseUnits<D> place(Known& known, const Pose<D>& pose) const;
  void note_colliders(Known& known, const Object<D>& o, bool whole);
  void note_walking(ObjectId id, const Object<D>& o, bool whole);
  void note_numbers(std::int64_t whose, std::span<const Number> now, std::vector<double>& before,
                    bool whole);
  void note_gone(Known& known);
  void note_happenings();
  std::int64_t number_of(std::optional<ObjectId> id);
  void append_tags(fmt::memory_buffer& out, const TagSet& tags) const;
  [[nodiscard]] std::string describe(const Known& known, const Object<D>& o) const;

  const World<D>& world_;
  const Rules<D>& rules_;
  std::vector<ObjectId> ids_;
  std::vector<Known> by_slot_;
  std::vector<double> world_numbers_;
  std::vector<Description> descriptions_;
  std::vector<std::uint32_t> gone_;
  std::array<List, kKeys> lists_ = {List{"objects"}, List{"moved"},   List{"shown"},
                                    List{"asleep"},  List{"changed"}, List{"tags"},
                                    List{"gone"},    List{"numbers"}, List{"walkers"},
                                    List{"touches"}, List{"fired"},   List{"withheld"}};
  fmt::memory_buffer line_;
  fmt::memory_buffer late_;
  std::uint32_t next_number_ = 0;
  std::uint32_t moved_before_ = 0;  // number of the object moved last in this step
  std::uint64_t before_ = 0;        // steps of the runs before a restart
  std::uint64_t said_ = 0;          // steps when the last line was made
  std::size_t tags_said_ = 0;
  std::size_t reactions_said_ = 0;
  std::size_t peak_ = 0;
  std::string outcome_;
};

// Digits, which the compression makes short again.
[[nodiscard]] std::string hexadecimal(std::span<const std::byte> bytes);

}  // namespace colvik::recording
