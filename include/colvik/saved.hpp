#pragma once
/// Colliders to bytes and back, bit by bit, the same on every machine.

#include <colvik/export.hpp>
#include <colvik/object.hpp>

namespace colvik {

template <int D>
[[nodiscard]] COLVIK_EXPORT std::vector<std::byte> save_colliders(
    std::span<const ColliderDef<D>> colliders);

/// What was saved. Fails on bytes that are damaged, of another version or of the other dimension.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<std::vector<ColliderDef<D>>> load_colliders(
    std::span<const std::byte> saved);

}  // namespace colvik
