#pragma once
// Puts a collider into a kind of a scene file and leaves all else, comments too, as it is.
#include <colvik/result.hpp>

namespace colvik::tool {

// `collider` is one key a line. Keys of the kind's collider that say nothing about its shape or
// place stay. The file is replaced whole and only if the scene can still be loaded. Returns what
// was done, for the user.
[[nodiscard]] Result<std::string> write_collider(const std::string& scene, const std::string& kind,
                                                 const std::string& collider);

}  // namespace colvik::tool
