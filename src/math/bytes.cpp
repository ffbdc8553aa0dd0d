#include "math/bytes.h"

#include <fmt/format.h>

#include "math/hash.h"

namespace colvik::math {

std::uint64_t hash_of(std::span<const std::byte> bytes) {
  Hasher h;
  h.add(std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
  return h.value();
}

std::vector<std::byte> sealed(std::string_view what, std::uint32_t version,
                              std::vector<std::byte> bytes) {
  Packer out;
  std::string name(what);
  out(name, version, bytes);
  std::uint64_t sum = hash_of(out.bytes());
  out(sum);
  return std::move(out.bytes());
}

Opened opened(std::string_view what, std::uint32_t version, std::span<const std::byte> bytes) {
  if (bytes.size() < 8)
    return {{},
            fmt::format("is {} bytes long and cannot be a snapshot", bytes.size()),
            "what save() gave"};
  const std::size_t body = bytes.size() - 8;
  Unpacker last(bytes.subspan(body));
  std::uint64_t sum = 0;
  std::uint64_t size = 0;
  last(sum);
  if (sum != hash_of(bytes.first(body)))
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
