// Names, and what a pointer shows.
#include <fmt/format.h>

#include <algorithm>

#include "picture/hull.h"
#include "picture/painter.h"

namespace colvik::picture {

template <int D>
auto Painter<D>::on_paper(const std::vector<Vec<2>>& points, const Pose<2>& at) const -> Points {
  Points out;
  if constexpr (D == 2)
    for (const Vec<2>& p : points) out.push_back(to_paper_(at * p));
  return out;
}

// Convex loops that cover a collider on paper. Of meshes none, they show as lines.
template <int D>
auto Painter<D>::silhouettes(const ColliderDef<D>& c, const Pose<D>& pose) const
    -> std::vector<Points> {
  const Pose<D> at = pose * Pose<D>{c.at, c.turned};
  std::vector<Points> all;
  if constexpr (D == 2) {
    for (const std::vector<Vec<2>>& loop : fills(c.shape)) all.push_back(on_paper(loop, at));
  } else if (is_convex(c.shape)) {
    all.push_back(silhouette(c.shape, at));
  } else {
    for (const Placed<3>& child : convex_children(c.shape))
      all.push_back(silhouette(child.shape, at * Pose<3>{child.at, child.turned}));
  }
  return all;
}

template <int D>
auto Painter<D>::silhouette(const Shape<3>& shape, const Pose<3>& at) const -> Points {
  Points points;
  if constexpr (D == 3) {
    if (shape.kind != ShapeKind::ball && shape.kind != ShapeKind::capsule) {
      for (const Edge3& e : edges(shape)) {
        points.push_back(to_paper_(at * e.from));
        points.push_back(to_paper_(at * e.to));
      }
    } else {  // seen from anywhere, a rounded core shows discs round its ends
      for (const double sign : {-1.0, 1.0})
        for (int k = 0; k < 48; ++k) {
          double s = 0;
          double co = 1;
          sine_cosine(2 * kPi * k / 48, s, co);
          points.push_back(to_paper_(at * Vec<3>(shape.core * sign)) +
                           to_paper_.scale() * shape.radius * Vec<2>(co, s));
        }
    }
  }
  return hull(points);
}

template <int D>
void Painter<D>::paint_names(std::uint64_t step) {
  constexpr std::size_t kMany = 150;  // of more, names of what bodies there are would hide them
  const std::vector<Shown> all = shown_at(step, true);
  for (const Shown& s : all) {
    const TraceObject<D>& o = trace_.objects()[s.index];
    if (all.size() > kMany && o.body == BodyKind::dynamic) continue;
    paint_name(s.index, step);
  }
}

// Names of single objects (copies are many), where there is room for them.
template <int D>
void Painter<D>::paint_name(std::uint32_t index, std::uint64_t step) {
  const TraceObject<D>& o = trace_.objects()[index];
  const Pose<D> pose = *trace_.pose_at(index, step);
  if (o.name.find('.') != std::string::npos || !view_.contains(pose.position)) return;
  std::vector<ColliderDef<D>> seen;
  for (std::size_t i = 0; i < o.colliders.size(); ++i)
    if (trace_.is_on(index, i, step)) seen.push_back(trace_.collider_at(index, i, step));
  Bounds<D> around;
  for (const ColliderDef<D>& c : seen)
    around = around.merged(bounds(c.shape, pose * Pose<D>{c.at, c.turned}));
  if (seen.empty()) around = around.merged(pose.position);
  const std::string name = canvas_.fitting(o.name, 11, 220);
  const double width = canvas_.text_width(name, 11);
  const Vec<2> centre = to_paper_(around.centre());
  double high = centre.y();
  double low = centre.y();
  for (const ColliderDef<D>& c : seen)
    for (const Points& loop : silhouettes(c, pose))
      for (const Vec<2>& p : loop) {
        high = std::min(high, p.y());
        low = std::max(low, p.y());
      }
  for (const Vec<2>& at : {Vec<2>(centre.x(), high - 5), Vec<2>(centre.x(), low + 13),
                           Vec<2>(centre.x(), centre.y() + 4), Vec<2>(centre.x(), high - 18),
                           Vec<2>(centre.x(), low + 26)}) {
    const Bounds<2> box{{at.x() - width / 2 - 2, at.y() - 10},
                        {at.x() + width / 2 + 2, at.y() + 3}};
    const Bounds<2> frame{frame_.corner, frame_.corner + frame_.size};
    if (!frame.contains(box) || std::any_of(taken_.begin(), taken_.end(),
                                            [&](const Bounds<2>& t) { return t.overlaps(box); }))
      continue;
    taken_.push_back(box);
    canvas_.text(at, name, 11, kInk.faded(0.9), false, true);
    return;
  }
}

template <int D>
void Painter<D>::paint_titles(std::uint64_t step) {
  for (const Shown& s : shown_at(step, true)) {
    const TraceObject<D>& o = trace_.objects()[s.index];
    std::string text = o.name + "\n" + std::string(name_of(o.body));
    if (trace_.asleep_at(s.index, step)) text += ", asleep";
    const TagSet tags = trace_.tags_at(s.index, step);
    if (!tags.empty()) text += "\ntags: " + trace_.tags().list(tags);
    for (const Number& n : o.numbers)
      if (const auto value = trace_.number_at(s.index, n.name, step))
        text += fmt::format("\n{}: {:g}", n.name, *value);
    for (std::size_t i = 0; i < o.colliders.size(); ++i) {
      const ColliderDef<D> c = trace_.collider_at(s.index, i, step);
      for (const Points& loop : silhouettes(c, *trace_.pose_at(s.index, step)))
        canvas_.title(loop, c.on ? text : text + "\nswitched off");
    }
  }
}

template void Painter<2>::paint_names(std::uint64_t);
template void Painter<3>::paint_names(std::uint64_t);
template void Painter<2>::paint_titles(std::uint64_t);
template void Painter<3>::paint_titles(std::uint64_t);
template std::vector<std::vector<Vec<2>>> Painter<2>::silhouettes(const ColliderDef<2>&,
                                                                  const Pose<2>&) const;
template std::vector<std::vector<Vec<2>>> Painter<3>::silhouettes(const ColliderDef<3>&,
                                                                  const Pose<3>&) const;
template std::vector<Vec<2>> Painter<2>::silhouette(const Shape<3>&, const Pose<3>&) const;
template std::vector<Vec<2>> Painter<3>::silhouette(const Shape<3>&, const Pose<3>&) const;

}  // namespace colvik::picture
