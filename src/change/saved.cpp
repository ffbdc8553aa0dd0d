#include "change/saved.h"

#include <colvik/saved.hpp>

namespace colvik {

namespace {

constexpr std::uint32_t kCollidersVersion = 1;
template <int D>
constexpr std::string_view kColliders = D == 2 ? "colvik 2D colliders" : "colvik 3D colliders";

}  // namespace

template <int D>
std::vector<std::byte> save_colliders(std::span<const ColliderDef<D>> colliders) {
  math::Packer out;
  std::vector<ColliderDef<D>> all(colliders.begin(), colliders.end());
  out(all);
  return math::sealed(kColliders<D>, kCollidersVersion, std::move(out.bytes()));
}

template <int D>
Result<std::vector<ColliderDef<D>>> load_colliders(std::span<const std::byte> saved) {
  const math::Opened opened = math::opened(kColliders<D>, kCollidersVersion, saved);
  if (!opened.wrong.empty()) return Error{"colliders", opened.wrong, opened.accepted};
  math::Unpacker in(opened.inside);
  std::vector<ColliderDef<D>> all;
  in(all);
  if (!in.good() || !in.empty())
    return Error{"colliders", "does not make sense", "what save_colliders() gave"};
  return all;
}

template std::vector<std::byte> save_colliders(std::span<const ColliderDef<2>>);
template std::vector<std::byte> save_colliders(std::span<const ColliderDef<3>>);
template Result<std::vector<ColliderDef<2>>> load_colliders<2>(std::span<const std::byte>);
template Result<std::vector<ColliderDef<3>>> load_colliders<3>(std::span<const std::byte>);

}  // namespace colvik
