#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>

#include "recording/compress.h"
#include "recording/step_lines.h"

namespace colvik {

namespace {
constexpr std::size_t kLeastBytes = std::size_t{64} << 10;
}

template <int D>
struct Recorder<D>::Impl {
  // A step in the ring: where its line is, and whether it can be read without those before.
  struct Entry {
    std::size_t from = 0;
    std::size_t size = 0;
    std::uint64_t step = 0;
    bool whole = false;
  };
  struct Described {
    std::string line;
    std::uint64_t gone = kNever;
  };

  Impl(const World<D>& w, const Rules<D>& r, const RecorderOptions& options)
      : world(w), lines(w, r), ring(options.bytes) {
    const double steps = std::ceil(options.seconds * w.settings().rate);
    wanted = static_cast<std::uint64_t>(steps);
    between = std::max<std::uint64_t>(1, wanted / 4);
    entries.resize(wanted + 2 * between + 2);
    lines.reserve(kLeastBytes);
  }

  const World<D>& world;
  recording::StepLines<D> lines;
  std::vector<char> ring;
  std::vector<Entry> entries;  // a ring, too
  std::size_t first = 0;
  std::size_t count = 0;
  std::size_t end = 0;  // of the last line in the ring
  std::uint64_t wanted = 0;
  std::uint64_t between = 0;  // steps from one whole one to the next
  std::uint64_t since_whole = 0;
  std::map<std::uint32_t, Described> described;

  [[nodiscard]] const Entry& entry(std::size_t k) const {
    return entries[(first + k) % entries.size()];
  }
  [[nodiscard]] Entry& entry(std::size_t k) { return entries[(first + k) % entries.size()]; }

  void step() {
    const bool whole = count == 0 || since_whole + 1 >= between;
    keep(lines.step(whole), whole);
    for (const auto& d : lines.descriptions()) described[d.number] = {d.line, kNever};
    for (const std::uint32_t number : lines.gone()) described[number].gone = lines.steps();
    const std::uint64_t oldest = count > 0 ? entry(0).step : lines.steps();
    if (!lines.gone().empty())
      std::erase_if(described, [&](const auto& d) { return d.second.gone < oldest; });
  }

  // Makes room by forgetting the oldest, up to the next that can be read on its own.
  void keep(std::string_view line, bool whole) {
    if (line.size() > ring.size()) {  // not even one fits: begin again with the next
      count = 0;
      return;
    }
    if (end + line.size() > ring.size()) {
      forget_within(end, ring.size());
      end = 0;
    }
    forget_within(end, end + line.size());
    if (count == 0 && !whole) return;
    const std::uint64_t step = lines.steps();
    while (second_whole() < count && entry(second_whole()).step + wanted <= step)
      forget(second_whole());
    std::memcpy(ring.data() + end, line.data(), line.size());
    if (count == entries.size()) forget(std::min(second_whole(), count));
    entry(count) = {end, line.size(), step, whole};
    ++count;
    end += line.size();
    since_whole = whole ? 0 : since_whole + 1;
  }
  void forget_within(std::size_t from, std::size_t to) {
    while (count > 0 && entry(0).from < to && entry(0).from + entry(0).size > from)
      forget(std::min(second_whole(), count));
  }
  [[nodiscard]] std::size_t second_whole() const {
    for (std::size_t k = 1; k < count; ++k)
      if (entry(k).whole) return k;
    return count;
  }
  void forget(std::size_t how_many) {
    first = (first + how_many) % entries.size();
    count -= how_many;
  }
};

template <int D>
Recorder<D>::Recorder(const World<D>& world, const Rules<D>& rules,
                      const RecorderOptions& options) {
  if (!(options.seconds > 0) || !(options.seconds <= 86400))
    throw UncheckedError(Error{"recorder", fmt::format("cannot keep {:g} seconds", options.seconds),
                               "more than 0, up to a day"});
  if (options.bytes < kLeastBytes)
    throw UncheckedError(Error{"recorder", fmt::format("has {} bytes of memory", options.bytes),
                               fmt::format("{} or more", kLeastBytes)});
  impl_ = std::make_unique<Impl>(world, rules, options);
  impl_->step();
}

template <int D>
Recorder<D>::~Recorder() = default;

template <int D>
void Recorder<D>::record() {
  impl_->step();
}

template <int D>
void Recorder<D>::begin_again() {
  impl_->lines.begin_again();
  impl_->described.clear();
  impl_->count = 0;
  impl_->step();
}

template <int D>
double Recorder<D>::seconds() const {
  if (impl_->count == 0) return 0;
  return static_cast<double>(impl_->lines.steps() - impl_->entry(0).step) /
         impl_->world.settings().rate;
}

template <int D>
std::size_t Recorder<D>::bytes() const {
  std::size_t sum = 0;
  for (std::size_t k = 0; k < impl_->count; ++k) sum += impl_->entry(k).size;
  return sum;
}

template <int D>
Result<void> Recorder<D>::write(const std::string& path, const std::string& title) const {
  const Impl& r = *impl_;
  recording::CompressedFile file;
  if (Result<void> opened = file.open(path); !opened) return opened;
  const double rate = r.world.settings().rate;
  const double since = r.count > 0 ? static_cast<double>(r.entry(0).step) / rate : r.world.time();
  file.append(r.lines.head({.title = title}, since));
  for (const auto& [number, description] : r.described) file.append(description.line);
  for (std::size_t k = 0; k < r.count; ++k)
    file.append({r.ring.data() + r.entry(k).from, r.entry(k).size});
  file.append(r.lines.tail({}));
  return file.close();
}

template class Recorder<2>;
template class Recorder<3>;

}  // namespace colvik
