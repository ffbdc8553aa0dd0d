#pragma once
/// Pictures of colliders over the art they were fitted to, as PNG or SVG.

#include <colvik/export.hpp>
#include <colvik/fit.hpp>

namespace colvik {

template <int D>
struct FitPicture {
  int width = 1280;
  int height = 800;  ///< pixels, 400 to 8000 each
  std::string title{};
  std::string drawing{};         ///< 2D: a PNG to show beneath, stretched over the art's frame
  std::vector<FitCost> costs{};  ///< of each offer; may be empty
  std::optional<Choice> best{};  ///< marked
};

/// Each offer over the art with its figures, and the fits that were refused with the reasons. Fails
/// on another kind of file, sizes out of range, no offers, and a path that cannot be written.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<void> draw_fit(const Art<D>& art, const Offers<D>& offers,
                                                  const std::string& path,
                                                  const FitPicture<D>& options = {});

}  // namespace colvik
