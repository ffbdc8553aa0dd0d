#pragma once
#include <colvik/trace.hpp>

namespace colvik::picture {

// What there is to see: everything solid, wherever it was, and zones.
template <int D>
Bounds<D> everything(const Trace<D>& trace) {
  Bounds<D> all;
  for (std::uint32_t i = 0; i < trace.objects().size(); ++i) {
    const TraceObject<D>& o = trace.objects()[i];
    all = all.merged(o.first_pose.position);
    const auto merge = [&](const ColliderDef<D>& c) {
      if (c.shape.kind != ShapeKind::half_space)
        all = all.merged(bounds(c.shape, o.first_pose * Pose<D>{c.at, c.turned}));
    };
    for (const ColliderDef<D>& c : o.colliders) merge(c);
    for (const TraceColliderChange& c : trace.collider_changes(i))
      merge(trace.collider_at(i, c.collider, c.step));
  }
  if (all.empty()) all = all.merged(Vec<D>(kZero));
  return all.grown(std::max(all.size().maxCoeff() * 0.03, trace.metre() * 0.5));
}

}  // namespace colvik::picture
