#include "math/bytes.h"

#include <fmt/format.h>

#include "math/hash.h"

namespace colvik::math {

namespace {
std::uint64_t little_endian(const std::byte* bytes, std::size_t count) {
  std::uint64_t word = 0;
  for (std::size_t i = 0; i < count; ++i)
    word |= std::to_integer<std::uint64_t>(bytes[i]) << (8 * i);
  return word;
}

std::uint64_t hash_of(std::span<const std::byte> bytes) {
  Hasher h;
  h.add(std::uint64_t{bytes.size()});
  const std::size_t rest = bytes.size() % 8;
  const std::byte* const end = bytes.data() + (bytes.size() - rest);
  for (const std::byte* at = bytes.data(); at != end; at += 8) h.add(little_endian(at, 8));
  h.add(little_endian(end, rest));
  return h.value();
}
}  // namespace

std::vector<std::byte> sealed(std::string_view what, std::uint32_t version,
                              std::vector<std::byte> bytes) {
  Packer out;
  std::string name(what);
  out(name, version, bytes);
  std::uint64_t sum = hash_of(out.bytes());
  out(sum);
  return std::move(out.bytes());
}

std::uint64_t checksum(std::span<const std::byte> sealed) {
  std::uint64_t sum = 0;
  Unpacker last(sealed.last(8));
  last(sum);
  return sum;
}

Opened opened(std::string_view what, std::uint32_t version, std::span<const std::byte> bytes) {
  if (bytes.size() < 8)
    return {{},
            fmt::format("is {} bytes long and cannot be a snapshot", bytes.size()),
            "what save() gave"};
  const std::size_t body = bytes.size() - 8;
  std::uint64_t size = 0;
  if (checksum(bytes) != hash_of(bytes.first(body)))
    return {{}, "is damaged: its checksum is wrong", "what save() gave, unchanged"};
  Unpacker head(bytes.first(body));
  std::string name;
  std::uint32_t is = 0;
  head(name, is, size);
  if (name != what) return {{}, fmt::format("is of '{}'", name), fmt::format("one of '{}'", what)};
  if (is != version)
    return {{}, fmt::format("is of version {}", is), fmt::format("version {}", version)};
  const std::size_t before = 8 + name.size() + 4 + 8;
  if (!head.good() || body < before || size != body - before)
    return {{}, "is cut off", "what save() gave"};
  return {bytes.subspan(before, size), {}, {}};
}

}  // namespace colvik::math
