#pragma once
// The world in which a walker is tried: all else stands still, and one step is one stride.
#include <colvik/leak.hpp>

#include <memory>

namespace colvik::reasons {

// Directions in which a walker goes: level ones, and up (without gravity one of them).
template <int D>
struct Frame {
  std::array<Vec<D>, D> axes;  // the last is up
  bool heavy = false;          // gravity counts
  Vec<D> gravity = kZero;
};

// What became of one move.
template <int D>
struct Moved {
  Vec<D> at = kZero;
  bool standing = false;  // or, without gravity, simply there
  bool out = false;
  std::vector<std::pair<ObjectId, Vec<D>>> touched{};  // of the targets, and where it was then
};

template <int D>
class Ground {
 public:
  // Requires: the walker is one.
  Ground(const World<D>& world, ObjectId walker, const LeakQuestion<D>& question,
         double resolution);

  // Of the object's own definition, at a place: overlap with what is solid for it.
  [[nodiscard]] std::optional<Answer<D>> blocked(const Vec<D>& at) const;
  // Whether its origin has left the region.
  [[nodiscard]] bool out(const Vec<D>& at) const;
  // Between a place within the region and one out of it: the first that is out.
  [[nodiscard]] Vec<D> border(const Vec<D>& in, const Vec<D>& out_there) const;
  // Falls straight down from there until it stands.
  Moved<D> settle(const Vec<D>& at);
  // Straight on along a level direction for a distance, or until it is stopped or falls.
  Moved<D> walk(const Vec<D>& at, const Vec<D>& direction, double distance);
  // Through the air until it stands: with `first` as its wish until it no longer rises, then with
  // `second`; each a direction, or zero.
  Moved<D> jump(const Vec<D>& at, const Vec<D>& first, const Vec<D>& second, bool running);
  Moved<D> fall(const Vec<D>& at, const Vec<D>& direction);
  Moved<D> drop(const Vec<D>& at);
  // Half the side of a square around it, at most `most`, in which it can go everywhere on the same
  // level ground; 0: none known.
  [[nodiscard]] double room(const Vec<D>& at, double most) const;
  // What stops it in that direction within that distance. `only`: no other collider counts.
  struct Stop {
    ObjectId object;
    std::size_t collider = 0;
    double at = 0;  // distance
  };
  [[nodiscard]] std::optional<Stop> ahead(const Vec<D>& at, const Vec<D>& direction,
                                          double distance, const Stop* only = nullptr) const;
  // How far the walker's solids reach from its origin, against a direction and along it.
  [[nodiscard]] std::pair<double, double> reach(const Vec<D>& direction) const;
  // Whether what it stood on after its last move is one-way.
  [[nodiscard]] bool on_one_way() const;
  // Whether something hangs or rises where it would jump.
  [[nodiscard]] bool above(const Vec<D>& at) const;
  // Whether one convex thing stops it in that direction at all heights of a jump.
  [[nodiscard]] bool too_high(const Vec<D>& at, const Vec<D>& direction) const;
  // What is no higher than this stops nobody who goes level.
  [[nodiscard]] double raised() const { return can_.step + 0.01 * smallest_; }
  // How high it jumps.
  [[nodiscard]] double rise() const;
  [[nodiscard]] bool jumps() const { return can_.jump_speed > 0 && frame_.heavy; }

  [[nodiscard]] const Frame<D>& frame() const { return frame_; }
  [[nodiscard]] const World<D>& world() const { return *world_; }
  [[nodiscard]] const std::vector<ObjectId>& targets() const { return targets_; }
  [[nodiscard]] double smallest() const { return smallest_; }

 private:
  void put(const Vec<D>& at);
  bool put_standing(const Vec<D>& at);
  void copy(const World<D>& from, ObjectId walker, const Object<D>& o, bool target);
  void add_walker(const World<D>& from, const Object<D>& o);
  void find_limits();
  // One step; true while it goes on: not out.
  bool advance(Moved<D>& moved);
  void glide(Moved<D>& moved, const Vec<D>& first, const Vec<D>& second);
  // What it stands on, where that is flat, level and unmoved.
  [[nodiscard]] std::optional<Bounds<D>> level_floor(const Vec<D>& at) const;

  std::unique_ptr<World<D>> world_;
  ObjectId walker_;
  Walker<D> can_;
  Frame<D> frame_;
  Rotation<D> turned_;
  std::optional<Bounds<D>> inside_;
  Bounds<D> limits_;  // beyond these there is nothing
  std::vector<ObjectId> targets_;
  double stride_ = 0;
  double rate_ = 0;
  double smallest_ = 0;
  bool fly_ = false;
};

}  // namespace colvik::reasons
