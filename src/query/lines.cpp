#include "query/lines.h"

#include <algorithm>

#include "pairs/extent.h"
#include "pairs/index.h"
#include "shapes/assembly.h"

namespace colvik {

namespace {

template <int D>
void add_outline(const Shape<D>& shape, const Pose<D>& pose, LineKind kind, ObjectId id,
                 std::vector<Line<D>>& out) {
  if constexpr (D == 2) {
    for (const std::vector<Vec<2>>& line : outlines(shape))
      for (std::size_t i = 0; i + 1 < line.size(); ++i)
        out.push_back({pose * line[i], pose * line[i + 1], kind, id});
  } else {
    for (const Edge3& e : edges(shape)) out.push_back({pose * e.from, pose * e.to, kind, id});
  }
}

// The edges of a box: between corners that differ in one bit.
template <int D>
void add_box(const Bounds<D>& box, ObjectId id, std::vector<Line<D>>& out) {
  const auto corner = [&](unsigned bits) {
    Vec<D> p;
    for (int i = 0; i < D; ++i) p[i] = (bits >> i & 1U) != 0 ? box.hi[i] : box.lo[i];
    return p;
  };
  for (unsigned bits = 0; bits < 1U << D; ++bits)
    for (int i = 0; i < D; ++i)
      if ((bits >> i & 1U) == 0)
        out.push_back({corner(bits), corner(bits | 1U << i), LineKind::bounds, id});
}

template <int D>
void add_open_sides(const Shape<D>& shape, const Pose<D>& pose, double mark, ObjectId id,
                    std::vector<Line<D>>& out) {
  if (shape.parts == nullptr || shape.parts->two_sided) return;
  for (const shapes::Piece<D>& piece : shape.parts->pieces) {
    if (piece.corners != D || piece.fronts == 0) continue;
    const shapes::Front<D>& f = shape.parts->fronts[piece.first_front];
    Vec<D> middle = Vec<D>::Zero();
    for (const std::uint32_t c : f.corner) middle += shape.parts->points[c] / D;
    out.push_back({pose * middle, pose * Vec<D>(middle + mark * shape.parts->normal(f)),
                   LineKind::one_way, id});
  }
}

// Of a convex shape that is solid from one side: marks along that side.
template <int D>
void add_one_way(const ColliderDef<D>& c, const Pose<D>& pose, double mark, ObjectId id,
                 std::vector<Line<D>>& out) {
  constexpr int kMarks = 5;
  const Vec<D> open = c.one_way.normalized();
  const Bounds<D> box = bounds(c.shape, Pose<D>{});
  Vec<D> across = Vec<D>::Unit(0) - open * open[0];
  if (across.norm() < 0.1) across = Vec<D>::Unit(1) - open * open[1];
  across.normalize();
  const double top = world::extent_along<D>(c.shape, Pose<D>{}, open).second;
  const auto [from, to] = world::extent_along<D>(c.shape, Pose<D>{}, across);
  const Vec<D> middle =
      box.centre() - open * open.dot(box.centre()) - across * across.dot(box.centre());
  for (int k = 0; k < kMarks; ++k) {
    const Vec<D> at = middle + open * top + across * (from + (to - from) * (k + 0.5) / kMarks);
    out.push_back({pose * at, pose * Vec<D>(at + mark * open), LineKind::one_way, id});
  }
}

}  // namespace

template <int D>
void collider_lines(const ColliderDef<D>& c, const Pose<D>& pose, double mark, ObjectId id,
                    std::vector<Line<D>>& out) {
  const Pose<D> at = pose * Pose<D>{c.at, c.turned};
  add_outline(c.shape, at,
              !c.on    ? LineKind::off
              : c.zone ? LineKind::zone
                       : LineKind::solid,
              id, out);
  if (!c.zone) add_open_sides(c.shape, at, mark, id, out);
  if (!c.one_way.isZero(0)) add_one_way(c, at, mark, id, out);
}

template void collider_lines(const ColliderDef<2>&, const Pose<2>&, double, ObjectId,
                             std::vector<Line<2>>&);
template void collider_lines(const ColliderDef<3>&, const Pose<3>&, double, ObjectId,
                             std::vector<Line<3>>&);

namespace world {

template <int D>
std::vector<Line<D>> lines_of(Model<D>& model, const LineOptions& options) {
  std::vector<Line<D>> out;
  const double mark = options.mark * model.store.settings.metre;
  refresh_index(model.store, model.broad, model.walkers);
  for (const std::uint32_t slot : model.store.order) {
    const ObjectState<D>& o = model.store.objects[slot];
    if (!o.shown.active) continue;
    for (const std::uint32_t at : o.colliders) {
      const ColliderState<D>& c = model.store.colliders[at];
      if (options.outlines)
        collider_lines(o.shown.colliders[c.which].def, o.shown.pose, mark, o.shown.id, out);
      if (options.bounds && c.in_tree)
        add_box((c.in_still_tree ? model.broad.still : model.broad.moving).bounds(at), o.shown.id,
                out);
    }
  }
  if (options.contacts) {
    math::Many<Touch<D>> touches = model.touches.now;  // with the sleepers' among them, in order
    for (const SleepGroup<D>& r : model.sleepers.groups)
      touches.insert(touches.end(), r.touches.begin(), r.touches.end());
    touches.insert(touches.end(), model.sleepers.between.touches.begin(),
                   model.sleepers.between.touches.end());
    std::sort(touches.begin(), touches.end(), earlier<D>);
    for (const Touch<D>& t : touches) {
      const ObjectId id = model.store.objects[t.a].shown.id;
      for (int i = 0; i < D; ++i) {
        const Vec<D> arm = 0.5 * mark * Vec<D>::Unit(i);
        out.push_back({t.point - arm, t.point + arm, LineKind::contact, id});
      }
      out.push_back({t.point, t.point + mark * t.normal, LineKind::normal, id});
    }
  }
  return out;
}

template std::vector<Line<2>> lines_of(Model<2>&, const LineOptions&);
template std::vector<Line<3>> lines_of(Model<3>&, const LineOptions&);

}  // namespace world
}  // namespace colvik
