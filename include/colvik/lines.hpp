#pragma once
/// The lines of a world as it is now, for a caller's own view.

#include <colvik/export.hpp>
#include <colvik/object.hpp>

namespace colvik {

enum class LineKind {
  solid,    ///< outline of a solid collider
  zone,     ///< outline of a zone
  off,      ///< outline of a collider that is switched off
  one_way,  ///< from a one-way surface to its open side
  contact,  ///< a cross at a touch's point
  normal,   ///< of a touch, from its point towards the second object
  bounds    ///< of a collider, as the index sees it
};

template <int D>
struct Line {
  Vec<D> from = kZero;
  Vec<D> to = kZero;
  LineKind kind = LineKind::solid;
  ObjectId object{};  ///< whose it is
};

/// Appends the outline of a collider, on an object at `pose`, and from the middle of each one-way
/// front a line `mark` long to its open side.
template <int D>
COLVIK_EXPORT void collider_lines(const ColliderDef<D>& collider, const Pose<D>& pose, double mark,
                                  ObjectId object, std::vector<Line<D>>& out);

struct LineOptions {
  bool outlines = true;
  bool contacts = true;
  bool bounds = false;
  double mark = 0.1;  ///< length of crosses, normals and one-way marks, in metres
};

}  // namespace colvik
