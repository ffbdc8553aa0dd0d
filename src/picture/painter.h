#pragma once
// Draws a moment of a run into a frame of a picture, from things to names to marks.
#include "picture/look.h"
#include "picture/projection.h"
#include "picture/solid.h"

namespace colvik::picture {

struct Frame {
  Vec<2> corner;
  Vec<2> size;
};

template <int D>
class Painter {
 public:
  Painter(Canvas& canvas, const Trace<D>& trace, const Bounds<D>& view,
          const PictureOptions& options, const Frame& frame, const Eye& eye);

  void paint(std::uint64_t last, const Overlay<D>* overlay);
  [[nodiscard]] double scale() const { return to_paper_.scale(); }

 private:
  using Points = std::vector<Vec<2>>;
  struct Shown {
    std::uint32_t index;
    int layer;
    double depth;
  };
  struct Mark {
    std::size_t number;
    Vec<2> foot;
    Vec<2> at;
  };

  [[nodiscard]] std::vector<Shown> shown_at(std::uint64_t step, bool with_still) const;
  void paint_moment(std::uint64_t step, double strength, bool with_still);
  void paint_gone(std::uint64_t step);
  void paint_object(std::uint32_t index, std::uint64_t step, double strength);
  void paint_drawing(const TraceObject<D>& o, const Drawing<D>& drawing, const Pose<D>& pose,
                     double strength);
  void paint_solid(std::uint64_t last);
  void paint_outline(const ColliderDef<D>& c, const Pose<D>& pose, const Stroke& stroke);
  // In paint_names.cpp.
  void paint_names(std::uint64_t step);
  void paint_name(std::uint32_t index, std::uint64_t step);
  void paint_titles(std::uint64_t step);
  [[nodiscard]] std::vector<Points> silhouettes(const ColliderDef<D>& c, const Pose<D>& pose) const;
  [[nodiscard]] Points silhouette(const Shape<3>& shape, const Pose<3>& at) const;
  [[nodiscard]] Points on_paper(const std::vector<Vec<2>>& points, const Pose<2>& at) const;
  // In paint_marks.cpp.
  void place_marks(std::uint64_t last);
  void paint_marks();
  void paint_touches(std::uint64_t last);
  void paint_trails(std::uint64_t last);
  void paint_overlay(const Overlay<D>& overlay);

  Canvas& canvas_;
  const Trace<D>& trace_;
  const PictureOptions& options_;
  Bounds<D> view_;
  Frame frame_;
  Projection<D> to_paper_;
  std::vector<Mark> marks_;
  std::vector<Bounds<2>> taken_;  // by marks and names
};

}  // namespace colvik::picture
