#pragma once
// Builds a trace from the lines of a recording. Throws Wrong, or nlohmann's exceptions, on what
// does not fit; the reader says where.
#include <colvik/recording.hpp>

#include <nlohmann/json.hpp>

#include <unordered_map>

#include "recording/step_lines.h"
#include "recording/values.h"

namespace colvik {

template <int D>
struct TraceMaker {
  using Json = nlohmann::json;

  void head(const Json& line);
  void names(const Json& line);
  void describe(const Json& line);
  void step(const Json& line);
  void begin_again();
  void end(const Json& line);

  Recording<D> made;
  bool ended = false;
  bool begun = false;  // a step was read
  std::uint64_t first_step = 0;

 private:
  static constexpr std::size_t kParts = recording::kPoseParts<D>;
  struct Known {
    Json description{};  // until it is there
    std::uint32_t index = kNobody;
    std::uint64_t moved_at = kNever;
    std::array<std::int64_t, kParts> at{};
    std::array<std::int64_t, kParts> rate{};
    std::array<std::int64_t, kParts> bend{};
    std::vector<std::pair<Shape<D>, double>> shapes{};  // as described, and their scales
  };
  Trace<D>& trace() { return made.trace; }
  Known& known(std::int64_t number);         // described
  Known& there(std::int64_t number);         // and listed
  std::uint32_t index(std::int64_t number);  // -1: nobody
  std::size_t reaction(const Json& number);
  double time(const Json& seconds) const;
  TagSet tags(const Json& list);
  static Vec<D> vector(const Json& list);
  void fill(Known& known, TraceObject<D>& object, const Json& description);
  void retag(std::uint32_t object, const TagSet& now);
  void tag_parties(TraceObject<D>& object);
  void first(const Json& item);
  void moved(const Json& list);
  void gone(const Json& item);
  void collider(const Json& item);
  void change(std::uint32_t object, const TraceColliderChange& now);
  void walker(const Json& item);
  void number(const Json& item);
  void touch(const Json& item);
  void firing(const Json& item);
  void sample(std::uint32_t object, bool shown, bool asleep, const Pose<D>& pose);
  Pose<D> pose(const Known& known) const;

  double unit_ = 1;
  double turn_unit_ = 1;
  std::unordered_map<std::uint32_t, Known> known_;
};

}  // namespace colvik
