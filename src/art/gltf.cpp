// Meshes of glTF 2.0 models where their nodes, animations and skins put them.
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <filesystem>
#include <fstream>

#include "art/file.h"

// Compiled here rather than linked: the shared library's vectors and ours may not mix under a
// sanitizer.
#if defined(__GNUC__)
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wall"
#pragma GCC diagnostic ignored "-Wextra"
#endif
#define TINYGLTF_IMPLEMENTATION
#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#define TINYGLTF_NO_EXTERNAL_IMAGE
#define TINYGLTF_NO_FS
#include <tiny_gltf.h>
#if defined(__GNUC__)
#pragma GCC diagnostic pop
#endif

namespace colvik::art {
namespace {

// Rotation, scale and place: what nodes have, and skins multiply.
struct Transform {
  Eigen::Matrix3d linear = Eigen::Matrix3d::Identity();
  Vec<3> at = kZero;
  [[nodiscard]] Vec<3> operator*(const Vec<3>& p) const { return linear * p + at; }
  [[nodiscard]] Transform operator*(const Transform& o) const {
    return {linear * o.linear, *this * o.at};
  }
};

struct Local {
  Transform fixed;  // of a matrix
  bool is_matrix = false;
  Vec<3> at = kZero;
  Rotation<3> turned{};
  Vec<3> scale = Vec<3>::Ones();
  [[nodiscard]] Transform whole() const {
    if (is_matrix) return fixed;
    Transform t;
    for (int k = 0; k < 3; ++k) t.linear.col(k) = turned.axis(k) * scale[k];
    t.at = at;
    return t;
  }
};

// What is wrong, thrown inside this file alone.
struct Wrong {
  std::string what;
  std::string accepted;
};

class GltfReader {
 public:
  GltfReader(const std::string& path, const ModelOptions& options)
      : path_(path), options_(options) {}

  Result<Model> read(const std::string& bytes) {
    tinygltf::TinyGLTF loader;
    loader.SetFsCallbacks({[](const std::string&, void*) { return true; },
                           [](const std::string& file, void*) { return file; }, &GltfReader::file,
                           [](std::string*, const std::string&, const std::vector<unsigned char>&,
                              void*) { return false; },
                           this});
    loader.SetImageLoader([](tinygltf::Image*, const int, std::string*, std::string*, int, int,
                             const unsigned char*, int, void*) { return true; },
                          nullptr);
    std::string error;
    std::string warning;
    const std::string folder = std::filesystem::path(path_).parent_path().string();
    const bool binary = bytes.starts_with("glTF");
    const auto size = static_cast<unsigned>(bytes.size());
    bool good = false;
    try {
      good = binary
                 ? loader.LoadBinaryFromMemory(&gltf_, &error, &warning,
                                               reinterpret_cast<const unsigned char*>(bytes.data()),
                                               size, folder)
                 : loader.LoadASCIIFromString(&gltf_, &error, &warning, bytes.data(), size, folder);
    } catch (const std::exception& e) {  // of the reader of JSON
      error = e.what();
    }
    if (!refused_.empty()) error = refused_;
    if (!good || !refused_.empty()) {
      std::replace(error.begin(), error.end(), '\n', ' ');
      while (!error.empty() && error.back() == ' ') error.pop_back();
      return Error{path_, error.empty() ? "is no glTF model" : error, "a glTF 2.0 model"};
    }
    try {
      return nodes();
    } catch (const Wrong& wrong) {
      return Error{path_, wrong.what, wrong.accepted};
    }
  }

 private:
  // Of buffers in files of their own.
  static bool file(std::vector<unsigned char>* out, std::string* error, const std::string& name,
                   void* self) {
    auto& reader = *static_cast<GltfReader*>(self);
    namespace fs = std::filesystem;
    const fs::path own = fs::path(reader.path_).parent_path();
    const fs::path folder = !reader.options_.within.empty() ? fs::path(reader.options_.within)
                            : own.empty()                   ? fs::path(".")
                                                            : own;
    if (!lies_in(name, folder.string())) {
      reader.refused_ = fmt::format("names the file '{}', which is not in the folder '{}'", name,
                                    fs::absolute(folder).lexically_normal().string());
      *error += reader.refused_;
      return false;
    }
    const Result<std::string> bytes = bytes_of(name, "a file of the model");
    if (!bytes) {
      reader.refused_ = bytes.error().message();
      *error += reader.refused_;
      return false;
    }
    out->assign(bytes.value().begin(), bytes.value().end());
    return true;
  }

  template <class List>
  static auto& at(List& list, int index, const char* what) {
    if (index < 0 || static_cast<std::size_t>(index) >= list.size())
      throw Wrong{fmt::format("names {} {}", what, index), fmt::format("0 to {}", list.size())};
    return list[static_cast<std::size_t>(index)];
  }

  // Numbers of an accessor, `width` a row; every offset is checked.
  std::vector<double> numbers(int index, std::size_t width, const char* what) {
    const tinygltf::Accessor& accessor = at(gltf_.accessors, index, "accessor");
    const auto wrong = [&](const std::string& why) {
      return Wrong{fmt::format("accessor {} ({}) {}", index, what, why), "a glTF 2.0 model"};
    };
    if (accessor.sparse.isSparse) throw wrong("is sparse, which is not read");
    const int parts = tinygltf::GetNumComponentsInType(static_cast<std::uint32_t>(accessor.type));
    const int bytes =
        tinygltf::GetComponentSizeInBytes(static_cast<std::uint32_t>(accessor.componentType));
    if (parts != static_cast<int>(width) || bytes <= 0)
      throw wrong(fmt::format("does not have {} numbers a row", width));
    const tinygltf::BufferView& view = at(gltf_.bufferViews, accessor.bufferView, "buffer view");
    const tinygltf::Buffer& buffer = at(gltf_.buffers, view.buffer, "buffer");
    const std::size_t row = static_cast<std::size_t>(bytes) * width;
    const std::size_t stride = view.byteStride != 0 ? view.byteStride : row;
    const std::size_t size = buffer.data.size();
    if (view.byteOffset > size || view.byteLength > size - view.byteOffset ||
        accessor.byteOffset > view.byteLength)
      throw wrong("begins outside its buffer");
    const std::size_t left = view.byteLength - accessor.byteOffset;
    if (stride < row || accessor.count == 0 || row > left ||
        accessor.count - 1 > (left - row) / stride)
      throw wrong(fmt::format("has {} rows, which do not fit into its buffer", accessor.count));
    if (accessor.count > 3 * kMostModelTriangles)
      throw wrong(fmt::format("has {} rows", accessor.count));
    std::vector<double> out;
    out.reserve(accessor.count * width);
    const unsigned char* first = buffer.data.data() + view.byteOffset + accessor.byteOffset;
    for (std::size_t i = 0; i < accessor.count; ++i)
      for (std::size_t k = 0; k < width; ++k)
        out.push_back(number(first + i * stride + k * static_cast<std::size_t>(bytes),
                             accessor.componentType, accessor.normalized));
    return out;
  }

  static double number(const unsigned char* p, int type, bool normalized) {
    const auto as = [&](auto value, double whole) {
      std::memcpy(&value, p, sizeof value);
      return normalized ? std::max(-1.0, static_cast<double>(value) / whole)
                        : static_cast<double>(value);
    };
    switch (type) {
      case TINYGLTF_COMPONENT_TYPE_BYTE: return as(std::int8_t{}, 127);
      case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE: return as(std::uint8_t{}, 255);
      case TINYGLTF_COMPONENT_TYPE_SHORT: return as(std::int16_t{}, 32767);
      case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT: return as(std::uint16_t{}, 65535);
      case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT: return as(std::uint32_t{}, 4294967295.0);
      case TINYGLTF_COMPONENT_TYPE_FLOAT: {
        float value = 0;
        std::memcpy(&value, p, sizeof value);
        return static_cast<double>(value);
      }
      default: throw Wrong{"has numbers of an unknown type", "a glTF 2.0 model"};
    }
  }

  void read_locals() {
    for (const tinygltf::Node& n : gltf_.nodes) {
      Local l;
      if (n.matrix.size() == 16) {
        l.is_matrix = true;
        for (int c = 0; c < 3; ++c)
          for (int r = 0; r < 3; ++r)
            l.fixed.linear(r, c) =
                n.matrix[4 * static_cast<std::size_t>(c) + static_cast<std::size_t>(r)];
        l.fixed.at = {n.matrix[12], n.matrix[13], n.matrix[14]};
      }
      if (n.translation.size() == 3) l.at = {n.translation[0], n.translation[1], n.translation[2]};
      if (n.rotation.size() == 4)
        l.turned = Rotation<3>::from_quaternion(n.rotation[3], n.rotation[0], n.rotation[1],
                                                n.rotation[2]);
      if (n.scale.size() == 3) l.scale = {n.scale[0], n.scale[1], n.scale[2]};
      locals_.push_back(l);
    }
  }

  // The nodes of the first animation at the time.
  void animate(Model& model) {
    if (gltf_.animations.empty()) return;
    const tinygltf::Animation& animation = gltf_.animations.front();
    for (const tinygltf::AnimationChannel& channel : animation.channels) {
      if (channel.target_node < 0 || channel.target_path == "weights") continue;
      Local& local = at(locals_, channel.target_node, "node");
      const tinygltf::AnimationSampler& sampler =
          at(animation.samplers, channel.sampler, "sampler");
      const std::vector<double> times = numbers(sampler.input, 1, "times");
      const bool turns = channel.target_path == "rotation";
      const std::size_t width = turns ? 4 : 3;
      const std::vector<double> values = numbers(sampler.output, width, "values");
      const bool cubic = sampler.interpolation == "CUBICSPLINE";
      const std::size_t per = cubic ? 3 * width : width;
      if (times.empty() || values.size() < per * times.size())
        throw Wrong{"an animation has fewer values than times", "a glTF 2.0 model"};
      model.length = std::max(model.length, times.back());
      const auto after = std::upper_bound(times.begin(), times.end(), options_.time);
      const auto b = std::min(static_cast<std::size_t>(after - times.begin()), times.size() - 1);
      const std::size_t a = after == times.begin() || b == 0 ? 0 : after == times.end() ? b : b - 1;
      const double span = times[b] - times[a];
      double t = span > 0 ? std::clamp((options_.time - times[a]) / span, 0.0, 1.0) : 0.0;
      if (sampler.interpolation == "STEP") t = 0;
      const auto value = [&](std::size_t key, std::size_t part, std::size_t k) {
        return values[key * per + part * width + k];
      };
      std::array<double, 4> v{};
      for (std::size_t k = 0; k < width; ++k) {
        if (!cubic) {
          v[k] = (1 - t) * value(a, 0, k) + t * value(b, 0, k);
          continue;
        }
        const double t2 = t * t;
        const double t3 = t2 * t;
        v[k] = (2 * t3 - 3 * t2 + 1) * value(a, 1, k) + span * (t3 - 2 * t2 + t) * value(a, 2, k) +
               (3 * t2 - 2 * t3) * value(b, 1, k) + span * (t3 - t2) * value(b, 0, k);
      }
      if (turns) {
        const auto rotation = [&](std::size_t key) {
          return Rotation<3>::from_quaternion(value(key, 0, 3), value(key, 0, 0), value(key, 0, 1),
                                              value(key, 0, 2));
        };
        local.turned = cubic ? Rotation<3>::from_quaternion(v[3], v[0], v[1], v[2])
                             : interpolate<3>(rotation(a), rotation(b), t);
      } else if (channel.target_path == "translation") {
        local.at = {v[0], v[1], v[2]};
      } else if (channel.target_path == "scale") {
        local.scale = {v[0], v[1], v[2]};
      }
    }
  }

  void place_nodes() {
    worlds_.resize(gltf_.nodes.size());
    parents_.assign(gltf_.nodes.size(), -1);
    std::vector<char> seen(gltf_.nodes.size(), 0);
    std::vector<int> open;
    std::vector<int> roots;
    if (!gltf_.scenes.empty()) {
      roots = at(gltf_.scenes, std::max(gltf_.defaultScene, 0), "scene").nodes;
    } else {
      std::vector<char> child(gltf_.nodes.size(), 0);
      for (const tinygltf::Node& n : gltf_.nodes)
        for (const int c : n.children) at(child, c, "node") = 1;
      for (std::size_t i = 0; i < child.size(); ++i)
        if (child[i] == 0) roots.push_back(static_cast<int>(i));
    }
    for (const int root : roots) {
      at(gltf_.nodes, root, "node");
      worlds_[static_cast<std::size_t>(root)] = locals_[static_cast<std::size_t>(root)].whole();
      open.push_back(root);
    }
    for (std::size_t i = 0; i < open.size(); ++i) {
      const int n = open[i];
      char& here = seen[static_cast<std::size_t>(n)];
      if (here != 0)
        throw Wrong{fmt::format("node {} is below two others, or below itself", n),
                    "a tree of nodes"};
      here = 1;
      order_.push_back(n);
      for (const int c : gltf_.nodes[static_cast<std::size_t>(n)].children) {
        at(gltf_.nodes, c, "node");
        worlds_[static_cast<std::size_t>(c)] =
            worlds_[static_cast<std::size_t>(n)] * locals_[static_cast<std::size_t>(c)].whole();
        parents_[static_cast<std::size_t>(c)] = n;
        open.push_back(c);
      }
    }
  }

  Result<Model> nodes() {
    Model model;
    read_locals();
    animate(model);
    place_nodes();
    std::size_t all = 0;
    for (const int n : order_) {
      const tinygltf::Node& given = gltf_.nodes[static_cast<std::size_t>(n)];
      if (given.mesh < 0) continue;
      ModelNode node;
      node.name = given.name;
      node.place = fmt::format("{}: node {}{}", path_, n,
                               given.name.empty() ? "" : fmt::format(" '{}'", given.name));
      for (int p = parents_[static_cast<std::size_t>(n)]; p >= 0;
           p = parents_[static_cast<std::size_t>(p)])
        node.parents.push_back(gltf_.nodes[static_cast<std::size_t>(p)].name);
      read_extras(given, node);
      const tinygltf::Mesh& mesh = at(gltf_.meshes, given.mesh, "mesh");
      node.mesh = mesh.name;
      for (const tinygltf::Primitive& part : mesh.primitives) add(part, given, node, model);
      all += node.art.triangles.size();
      if (all > kMostModelTriangles)
        throw Wrong{fmt::format("has more than {} triangles", kMostModelTriangles), "fewer"};
      if (node.art.triangles.empty()) continue;
      settle(worlds_[static_cast<std::size_t>(n)], given.skin >= 0, node);
      for (const Vec<3>& p : node.art.points)
        if (!p.allFinite()) throw Wrong{node.place + " has a point that is not finite", "numbers"};
      model.nodes.push_back(std::move(node));
    }
    if (model.nodes.empty()) throw Wrong{"has no node with triangles", "at least one"};
    return model;
  }

  static void read_extras(const tinygltf::Node& given, ModelNode& node) {
    if (!given.extras.IsObject()) return;
    const auto text = [](const tinygltf::Value& v) {
      return v.IsString() ? v.Get<std::string>() : std::string();
    };
    if (given.extras.Has("kind")) node.kind = text(given.extras.Get("kind"));
    if (!given.extras.Has("tags")) return;
    const tinygltf::Value& tags = given.extras.Get("tags");
    if (tags.IsString()) {  // exporters like one text
      std::string list = text(tags);
      std::replace(list.begin(), list.end(), ',', ' ');
      for (std::size_t from = 0; from < list.size();) {
        const std::size_t end = std::min(list.find(' ', from), list.size());
        if (end > from) node.tags.push_back(list.substr(from, end - from));
        from = end + 1;
      }
    }
    for (std::size_t i = 0; tags.IsArray() && i < tags.ArrayLen(); ++i)
      if (const std::string tag = text(tags.Get(static_cast<int>(i))); !tag.empty())
        node.tags.push_back(tag);
  }

  // The node's place and turn; its scale goes into the points.
  static void settle(const Transform& world, bool in_world, ModelNode& node) {
    Eigen::Matrix3d axes = world.linear;
    for (int k = 0; k < 2; ++k) {  // the second made a right angle to the first
      for (int j = 0; j < k; ++j) axes.col(k) -= axes.col(j).dot(axes.col(k)) * axes.col(j);
      const double length = axes.col(k).norm();
      if (length > 0) axes.col(k) /= length;
      else axes.col(k).setZero();
    }
    const Vec<3> x = axes.col(0);
    const Vec<3> y = axes.col(1);
    Rotation<3> turned;
    if (x.norm() > 0.5 && y.norm() > 0.5) turned = Rotation<3>::from_axes(x, y);
    node.pose = {world.at, turned};
    const Rotation<3> back = turned.inverse();
    for (Vec<3>& p : node.art.points)
      p = in_world ? node.pose.to_local(p) : Vec<3>(back * Vec<3>(world.linear * p));
    const bool mirrored = cross(Vec<3>(world.linear.col(0)), Vec<3>(world.linear.col(1)))
                              .dot(Vec<3>(world.linear.col(2))) < 0;
    if (!in_world && mirrored)
      for (auto& t : node.art.triangles) std::swap(t[1], t[2]);
  }

  void add(const tinygltf::Primitive& part, const tinygltf::Node& given, ModelNode& node,
           Model& model) {
    const int mode = part.mode < 0 ? TINYGLTF_MODE_TRIANGLES : part.mode;
    if (mode != TINYGLTF_MODE_TRIANGLES && mode != TINYGLTF_MODE_TRIANGLE_STRIP &&
        mode != TINYGLTF_MODE_TRIANGLE_FAN) {
      model.notes.push_back(node.place + ": points or lines were left out");
      return;
    }
    const auto position = part.attributes.find("POSITION");
    if (position == part.attributes.end())
      throw Wrong{node.place + " has no positions", "POSITION of its triangles"};
    if (!part.targets.empty()) model.notes.push_back(node.place + ": morph targets were left out");
    const std::vector<double> numbers_of = numbers(position->second, 3, "positions");
    const auto base = static_cast<std::uint32_t>(node.art.points.size());
    const std::size_t count = numbers_of.size() / 3;
    for (std::size_t i = 0; i < count; ++i)
      node.art.points.emplace_back(numbers_of[3 * i], numbers_of[3 * i + 1], numbers_of[3 * i + 2]);
    if (given.skin >= 0) skin(part, given.skin, base, node);
    std::vector<std::uint32_t> corners;
    if (part.indices >= 0) {
      for (const double i : numbers(part.indices, 1, "indices")) {
        if (!(i >= 0 && i < static_cast<double>(count)) || i != std::floor(i))
          throw Wrong{fmt::format("{} has corner {}", node.place, i),
                      fmt::format("0 to {}", count - 1)};
        corners.push_back(base + static_cast<std::uint32_t>(i));
      }
    } else {
      for (std::uint32_t i = 0; i < count; ++i) corners.push_back(base + i);
    }
    const bool strip = mode == TINYGLTF_MODE_TRIANGLE_STRIP;
    const std::size_t step = mode == TINYGLTF_MODE_TRIANGLES ? 3 : 1;
    for (std::size_t i = 0; i + 2 < corners.size(); i += step) {
      if (mode == TINYGLTF_MODE_TRIANGLE_FAN)
        node.art.triangles.push_back({corners[0], corners[i + 1], corners[i + 2]});
      else if (strip && i % 2 == 1)
        node.art.triangles.push_back({corners[i + 1], corners[i], corners[i + 2]});
      else node.art.triangles.push_back({corners[i], corners[i + 1], corners[i + 2]});
    }
  }

  // Points go where their joints carry them, in the model's frame.
  void skin(const tinygltf::Primitive& part, int index, std::uint32_t base, ModelNode& node) {
    const tinygltf::Skin& given = at(gltf_.skins, index, "skin");
    const auto joints_at = part.attributes.find("JOINTS_0");
    const auto weights_at = part.attributes.find("WEIGHTS_0");
    if (joints_at == part.attributes.end() || weights_at == part.attributes.end())
      throw Wrong{node.place + " has a skin and no joints and weights", "JOINTS_0 and WEIGHTS_0"};
    std::vector<Transform> carried;
    std::vector<double> inverse;
    if (given.inverseBindMatrices >= 0)
      inverse = numbers(given.inverseBindMatrices, 16, "inverse bind matrices");
    for (std::size_t j = 0; j < given.joints.size(); ++j) {
      at(gltf_.nodes, given.joints[j], "node");
      Transform back;
      if (inverse.size() >= 16 * (j + 1)) {
        const double* m = &inverse[16 * j];
        for (int c = 0; c < 3; ++c)
          for (int r = 0; r < 3; ++r) back.linear(r, c) = m[4 * c + r];
        back.at = {m[12], m[13], m[14]};
      }
      carried.push_back(worlds_[static_cast<std::size_t>(given.joints[j])] * back);
    }
    const std::vector<double> joints = numbers(joints_at->second, 4, "joints");
    const std::vector<double> weights = numbers(weights_at->second, 4, "weights");
    const std::size_t count = node.art.points.size() - base;
    if (joints.size() < 4 * count || weights.size() < 4 * count)
      throw Wrong{node.place + " has fewer joints or weights than points", "as many"};
    for (std::size_t i = 0; i < count; ++i) {
      Vec<3>& p = node.art.points[base + i];
      Vec<3> sum = kZero;
      double all = 0;
      for (std::size_t k = 0; k < 4; ++k) {
        const double weight = weights[4 * i + k];
        if (weight == 0) continue;
        sum += weight * (at(carried, static_cast<int>(joints[4 * i + k]), "joint") * p);
        all += weight;
      }
      if (all > 0) p = sum / all;
    }
  }

  const std::string& path_;
  const ModelOptions& options_;
  tinygltf::Model gltf_;
  std::string refused_;
  std::vector<Local> locals_;
  std::vector<Transform> worlds_;
  std::vector<int> parents_;
  std::vector<int> order_;
};

}  // namespace

Result<Model> read_gltf(const std::string& path, const ModelOptions& options) {
  const Result<std::string> bytes = bytes_of(path, "a glTF 2.0 model");
  if (!bytes) return bytes.error();
  return GltfReader(path, options).read(bytes.value());
}

}  // namespace colvik::art
