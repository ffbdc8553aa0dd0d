#pragma once
#include <colvik/watch.hpp>

namespace colvik {

template <int D>
struct Watch<D>::Impl {
  struct Two {
    ObjectId a{};
    ObjectId b{};
    WatchedPair<D> shown{};
  };
  using Serials = std::pair<std::uint64_t, std::uint64_t>;

  Impl(World<D>& w, Rules<D>& r) : world(w), rules(r) {}

  void look(std::span<const Event<D>> events);
  void find_pairs();
  void note_pair(const Serials& serials, ObjectId a, ObjectId b);
  void note_events(std::span<const Event<D>> events);
  void note_attempts();
  void see(Two& two);
  [[nodiscard]] Progress<D> progress(const Two& two) const;
  void take(Two& two, Progress<D> progress);
  [[nodiscard]] bool are_meant(ObjectId a, ObjectId b) const;
  [[nodiscard]] bool counts(double time) const { return time >= from && time <= to; }
  // sentence.cpp
  [[nodiscard]] std::string stopped(const WatchedPair<D>& two, const Progress<D>& p) const;

  World<D>& world;
  Rules<D>& rules;
  std::size_t token = 0;
  Who first;
  Who second;
  std::optional<std::size_t> reaction;
  bool of_two = true;   // by a touch
  bool of_one = false;  // by what becomes of one
  double from = 0;
  double to = 0;
  std::map<Serials, Two> all;
  bool full = false;
  std::map<std::uint64_t, Pose<D>> before;  // by serial: where it was at the last step's end
};

}  // namespace colvik
