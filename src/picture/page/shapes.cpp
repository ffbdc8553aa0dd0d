#include "picture/page/shapes.h"

#include <colvik/lines.hpp>

#include <map>

#include "picture/projection.h"

namespace colvik::page {

namespace {

using Json = nlohmann::json;

Json loops_json(const std::vector<std::vector<Vec<2>>>& loops, const Pose<2>& at) {
  Json all = Json::array();
  for (const std::vector<Vec<2>>& loop : loops) {
    Json points = Json::array();
    for (const Vec<2>& p : loop) points.push_back(vector_json<2>(at * p));
    all.push_back(std::move(points));
  }
  return all;
}

Json faces_of(const std::vector<std::array<Vec<3>, 3>>& triangles) {
  std::map<std::array<double, 3>, std::size_t> numbers;
  Json points = Json::array();
  Json corners = Json::array();
  for (const auto& triangle : triangles) {
    Json three = Json::array();
    for (const Vec<3>& p : triangle) {
      const auto [at, fresh] =
          numbers.emplace(std::array<double, 3>{p[0], p[1], p[2]}, points.size());
      if (fresh) points.push_back(vector_json<3>(p));
      three.push_back(at->second);
    }
    corners.push_back(std::move(three));
  }
  return {{"is", "triangles"}, {"points", points}, {"corners", corners}};
}

void add_solids(const Shape<3>& shape, const Pose<3>& at, double metre, Json& out) {
  Json j;
  Pose<3> place = at;
  if (shape.kind == ShapeKind::compound) {
    for (const Placed<3>& child : convex_children(shape))
      add_solids(child.shape, at * Pose<3>{child.at, child.turned}, metre, out);
    return;
  }
  if (shape.kind == ShapeKind::ball) {
    j = {{"is", "ball"}, {"radius", shape.radius}};
  } else if (shape.kind == ShapeKind::capsule) {
    j = {{"is", "capsule"}, {"radius", shape.radius}, {"half", shape.core[1]}};
  } else if (shape.kind == ShapeKind::segment && shape.radius > 0) {
    const Edge3 line = edges(shape).front();
    const double half = (line.to - line.from).norm() / 2;
    j = {{"is", "capsule"}, {"radius", shape.radius}, {"half", half}};
    place = at * picture::along(line.from, line.to);
  } else if (shape.kind == ShapeKind::half_space) {
    j = {{"is", "floor"}, {"thick", 0.02 * metre}};
  } else if (!is_convex(shape)) {
    j = faces_of(triangles(shape));
  } else {
    std::vector<Vec<3>> points;
    Bounds<3> around;
    for (const Edge3& e : edges(shape))
      for (const Vec<3>& p : {e.from, e.to}) {
        points.push_back(p);
        around = around.merged(p);
      }
    const Bounds<3> whole = bounds(shape, Pose<3>{});
    // What is round, or flat, from its edges alone: the box around it.
    if (points.size() < 8 ||
        (around.size() - whole.size()).cwiseAbs().maxCoeff() > 0.05 * whole.size().maxCoeff()) {
      points.clear();
      for (unsigned corner = 0; corner < 8; ++corner) {
        Vec<3> p = whole.lo;
        for (int k = 0; k < 3; ++k)
          if ((corner >> k & 1U) != 0) p[k] = whole.hi[k];
        points.push_back(p);
      }
    }
    j = {{"is", "cloud"}, {"points", Json::array()}};
    for (const Vec<3>& p : points) j["points"].push_back(vector_json<3>(p));
  }
  j["at"] = vector_json<3>(place.position);
  j["turned"] = {place.rotation.x(), place.rotation.y(), place.rotation.z(), place.rotation.w()};
  out.push_back(std::move(j));
}

}  // namespace

Json collider_json(const ColliderDef<2>& c, double metre) {
  const Pose<2> at{c.at, c.turned};
  Json j = {{"zone", c.zone},
            {"lines", loops_json(outlines(c.shape), at)},
            {"fills", loops_json(fills(c.shape), at)}};
  std::vector<Line<2>> lines;
  collider_lines(c, Pose<2>{}, metre, ObjectId{}, lines);
  for (const Line<2>& l : lines)
    if (l.kind == LineKind::one_way) {
      const Vec<2> along = (l.to - l.from).normalized();
      j["open"] = {l.from[0], l.from[1], along[0], along[1]};
    }
  return j;
}

Json collider_json(const ColliderDef<3>& c, double metre) {
  Json solids = Json::array();
  add_solids(c.shape, Pose<3>{c.at, c.turned}, metre, solids);
  return {{"zone", c.zone}, {"solids", solids}};
}

}  // namespace colvik::page
