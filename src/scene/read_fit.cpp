// Colliders fitted to pictures, drawings and models.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "scene/section_keys.h"

namespace colvik::scene {
namespace {

std::vector<double> numbers_of(Context& context, const Section& s, std::string_view key) {
  std::vector<double> list;
  const toml::node* node = s.find(key);
  const toml::array* array = node != nullptr ? node->as_array() : nullptr;
  if (node != nullptr && array == nullptr)
    context.report(*node, fmt::format("{} is {}", key, type_name(*node)), "a list of numbers");
  if (array == nullptr) return list;
  for (const toml::node& item : *array) {
    const toml::node* resolved = context.resolve(item);
    if (resolved == nullptr) continue;
    if (const auto n = number_in(context, *resolved, key, 0, 1e9)) list.push_back(*n);
  }
  return list;
}

}  // namespace

// What a `fit` table says.
template <int D>
struct SceneReader<D>::FitRequest {
  const toml::node* node = nullptr;  // of the file
  std::string path;
  bool is_svg = false;
  bool heights = false;
  std::optional<Fit> as;
  FitOptions<D> options;
  double scale = 1;
  std::optional<Vec<D>> size;  // of the picture, instead of scale
  Vec<D> at = kZero;           // of a drawing whose size it has
  TraceOptions trace;
  double height = 1;
  double time = 0;
  std::optional<Vec<2>> cell;  // of frames, in pixels
  std::vector<double> show;
  std::vector<double> begins{0};
};

template <int D>
void SceneReader<D>::note(const toml::node& at, const std::string& text) {
  const Place place = context_.place(at);
  for (const Problem& p : scene_.notes)
    if (p.what == text && p.place.line == place.line) return;
  scene_.notes.push_back({place, text, "the rest is used"});
}

template <int D>
std::shared_ptr<const Pixels> SceneReader<D>::picture_in(const toml::node& at,
                                                         const std::string& path) {
  if (const auto known = pictures_.find(path); known != pictures_.end()) return known->second;
  Result<Pixels> read = read_png(path);
  if (!read) {
    context_.report(at, read.error());
    return nullptr;
  }
  return pictures_[path] = std::make_shared<const Pixels>(std::move(read).value());
}

template <int D>
std::shared_ptr<const Model> SceneReader<D>::model_in(const toml::node& at, const std::string& path,
                                                      double time) {
  const std::string key = fmt::format("{}|{}", path, time);
  if (const auto known = models_.find(key); known != models_.end()) return known->second;
  const std::string own = std::filesystem::path(context_.file).parent_path().string();
  Result<Model> read =
      read_model(path, {.time = time, .within = context_.files.empty() ? own : context_.files});
  if (!read) {
    context_.report(at, read.error());
    return nullptr;
  }
  return models_[key] = std::make_shared<const Model>(std::move(read).value());
}

template <int D>
std::optional<std::array<std::uint8_t, 3>> SceneReader<D>::read_colour(const Section& s,
                                                                       std::string_view key) {
  const auto text = s.text(key);
  const auto colour = text ? colour_named(*text) : std::nullopt;
  if (text && !colour)
    context_.report(*s.find(key), fmt::format("'{}' is no colour", *text), "\"#rrggbb\"");
  return colour;
}

template <int D>
std::optional<Fit> SceneReader<D>::read_fit_name(const Section& s, std::string_view key) {
  const auto name = s.text(key);
  if (!name) return std::nullopt;
  const auto as = fit_named<D>(*name);
  std::vector<std::string> names;
  for (const Fit fit : fits<D>()) names.emplace_back(fit_name<D>(fit));
  if (!as)
    context_.report(*s.find(key), fmt::format("'{}' is no fit", *name),
                    suggestion(*name, names, fmt::format("one of: {}", fmt::join(names, ", "))));
  return as;
}

template <int D>
bool SceneReader<D>::read_size(const Section& s, FitRequest& r) {
  const auto scale = s.number("scale", 1e-9, 1e9);
  if (scale) r.scale = *scale;
  if constexpr (D == 2) {
    if (s.has("size")) {
      r.size = s.template vector<2>("size");
      if (scale || (r.size && !(r.size->minCoeff() > 0))) {
        context_.report(*s.find("size"), scale ? "a fit has size and scale" : "size is not usable",
                        scale ? "one of the two" : "numbers above 0");
        return false;
      }
      return r.size.has_value();
    }
    if (scale || object_at_hand_ == nullptr) return true;
    // As large as the object's drawing of the same file.
    std::vector<Section> drawings = object_at_hand_->tables("drawings", "drawing");
    if (auto one = object_at_hand_->table("drawing", "drawing")) drawings.push_back(*one);
    const std::string own = s.text("picture").value_or("");
    for (const Section& d : drawings)
      if (d.text("picture") == own) {
        r.size = d.template vector<2>("size");
        r.at = d.template vector<2>("at").value_or(Vec<2>(kZero));
      }
  } else if (s.has("size")) {
    context_.report(*s.find("size"), "'size' says nothing about a model", "scale");
    return false;
  }
  return true;
}

template <int D>
bool SceneReader<D>::read_frames(const Section& s, FitRequest& r) {
  const auto frames = s.table("frames", "frames");
  if (!frames) return !s.has("frames");
  const std::size_t problems = context_.problems.size();
  frames->require("at", "at = [0, seconds, ...]");
  r.begins = numbers_of(context_, *frames, "at");
  r.show = numbers_of(context_, *frames, "show");
  if (D == 2) {
    frames->require("cell", "cell = [width, height] in pixels");
    if (frames->has("cell")) r.cell = vector_in<2>(context_, *frames->find("cell"), "cell");
    if (r.is_svg)
      context_.report(frames->node(), "an SVG drawing has no frames", "frames of a PNG");
  } else {
    for (const char* key : {"cell", "show"})
      if (frames->has(key))
        context_.report(*frames->find(key), fmt::format("'{}' says nothing about a model", key),
                        "at, the seconds of its animation");
  }
  if (context_.problems.size() > problems) return false;
  bool rising = !r.begins.empty() && r.begins.front() == 0;
  for (std::size_t i = 1; i < r.begins.size(); ++i)
    rising = rising && r.begins[i] > r.begins[i - 1];
  if (!rising) {
    context_.report(*frames->find("at"), "the frames' times are not usable",
                    "seconds from 0 on, each later than the one before");
    return false;
  }
  if (!r.show.empty() && r.show.size() != r.begins.size()) {
    context_.report(*frames->find("show"),
                    fmt::format("{} frames and {} times", r.show.size(), r.begins.size()),
                    "a time for each frame");
    return false;
  }
  return true;
}

template <int D>
auto SceneReader<D>::read_request(const Section& s) -> std::optional<FitRequest> {
  FitRequest r;
  const std::size_t problems = context_.problems.size();
  if (s.has("picture") == s.has("model")) {
    context_.report(s.node(),
                    s.has("model") ? "a fit has a picture and a model" : "a fit of nothing",
                    D == 2 ? "picture = \"....png\" or \"....svg\""
                           : "model = \"....obj\", \".gltf\" or \".glb\"");
    return std::nullopt;
  }
  const std::string_view key = s.has("picture") ? "picture" : "model";
  const auto file = s.text(key);
  if (!file) return std::nullopt;
  r.node = s.find(key);
  const auto path = context_.path_of(*r.node, *file);
  if (!path) return std::nullopt;
  r.path = *path;
  r.is_svg = ending_of(r.path) == ".svg";
  const std::string as = s.text("as").value_or("");
  r.heights = D == 3 && key == "picture" && as == "heights";
  if (D == 2 && key == "model")
    context_.report(*r.node, "a model does not fit a 2D scene",
                    "picture = \"....png\" or \".svg\"");
  if (D == 3 && key == "picture" && !r.heights)
    context_.report(*r.node, "a picture in a 3D scene is a ground", "as = \"heights\", or a model");
  if (!r.heights) r.as = read_fit_name(s, "as");
  r.options.tolerance = s.number("tolerance", 0, 1e9).value_or(0);
  r.options.corners = static_cast<int>(s.whole("corners", 3, 256).value_or(0));
  r.options.parts = static_cast<int>(s.whole("parts", 1, 64).value_or(0));
  r.options.shrink = s.number("shrink", 0, 0.9).value_or(0);
  r.options.margin = s.number("margin", 0, 1e9).value_or(0);
  if (const toml::node* cell = s.find("cell")) {
    const auto size = vector_in<2>(context_, *cell, "cell");
    if (size) r.options.cell.template head<2>() = *size;
  }
  r.height = s.number("height").value_or(1);
  r.time = s.number("time", 0, 1e9).value_or(0);
  r.trace.ground = read_colour(s, "ground");
  r.trace.least_opacity = static_cast<int>(s.whole("opacity", 1, 255).value_or(128));
  r.trace.y_down = scene_.world.gravity[1] > 0;
  if (s.has("part")) {
    const std::vector<double> part = numbers_of(context_, s, "part");
    if (part.size() != 4)
      context_.report(*s.find("part"), "part is not usable",
                      "[left, top, width, height] in pixels");
    else
      for (std::size_t i = 0; i < 4; ++i)
        r.trace.part[i] = static_cast<int>(std::min(part[i], 1e6));
  }
  if (!read_size(s, r) || !read_frames(s, r) || context_.problems.size() > problems)
    return std::nullopt;
  return r;
}

// The part of the picture that each frame is.
template <int D>
bool SceneReader<D>::cut_frames(FitRequest& r, std::vector<std::array<int, 4>>& parts) {
  parts.assign(r.begins.size(), r.trace.part);
  if (!r.cell) return true;
  const auto pixels = picture_in(*r.node, r.path);
  if (!pixels) return false;
  const auto width = static_cast<int>(std::clamp(r.cell->x(), 0.0, 1e6));
  const auto height = static_cast<int>(std::clamp(r.cell->y(), 0.0, 1e6));
  const int across = width > 0 ? pixels->width / width : 0;
  const int down = height > 0 ? pixels->height / height : 0;
  const int count = across * down;
  for (std::size_t i = 0; i < parts.size(); ++i) {
    const double frame = r.show.empty() ? static_cast<double>(i) : r.show[i];
    if (frame != std::floor(frame) || !(frame >= 0 && frame < count) || across == 0) {
      context_.report(*r.node, fmt::format("the picture has no frame {}", frame),
                      count > 0 ? fmt::format("0 to {}: {} across and {} down of {} x {} pixels",
                                              count - 1, across, down, width, height)
                                : fmt::format("a cell of at most {} x {} pixels, as it has",
                                              pixels->width, pixels->height));
      return false;
    }
    const int number = static_cast<int>(frame);
    parts[i] = {number % across * width, number / across * height, width, height};
  }
  return true;
}

template <>
std::optional<Art<2>> SceneReader<2>::art_of_frame(const FitRequest& r, std::size_t,
                                                   const std::array<int, 4>& part) {
  const auto refuse = [&](const Error& error) {
    context_.report(*r.node, fmt::format("{}: {}", r.path, error.what), error.accepted);
    return std::nullopt;
  };
  if (r.is_svg) {
    const Result<SvgDrawing> drawing = read_svg(r.path);
    if (!drawing) {
      context_.report(*r.node, drawing.error());
      return std::nullopt;
    }
    const Vec<2> own = drawing.value().size;
    const auto scale = r.size ? scale_to(*r.size, own) : std::optional(r.scale);
    if (!scale)
      return refuse({{},
                     fmt::format("its view box is {:g} x {:g}, not as high as the size says",
                                 own.x(), own.y()),
                     "a size of the same proportions"});
    Result<Art<2>> art = art_of(drawing.value(), *scale);
    if (!art) return refuse(art.error());
    Art<2> out = std::move(art).value();
    if (r.trace.y_down)
      for (auto& loop : out.loops) {
        for (Vec<2>& p : loop) p.y() = -p.y();
        std::reverse(loop.begin(), loop.end());
      }
    return out;
  }
  const auto pixels = picture_in(*r.node, r.path);
  if (!pixels) return std::nullopt;
  TraceOptions trace = r.trace;
  trace.part = part;
  trace.pixel = r.scale;
  if (r.size) {
    const double width = part[2] > 0 ? part[2] : pixels->width;
    const double height = part[3] > 0 ? part[3] : pixels->height;
    const auto scale = scale_to(*r.size, {width, height});
    if (scale) trace.pixel = *scale;
    else
      return refuse(
          {{},
           fmt::format("is {:g} x {:g} pixels, not as high as the size says", width, height),
           "a size of the same proportions"});
  }
  Result<Art<2>> art = traced(*pixels, trace);
  if (!art) return refuse(art.error());
  return std::move(art).value();
}

template <>
std::optional<Art<3>> SceneReader<3>::art_of_frame(const FitRequest& r, std::size_t frame,
                                                   const std::array<int, 4>&) {
  const double time = r.begins.size() > 1 ? r.begins[frame] : r.time;
  const auto model = model_in(*r.node, r.path, time);
  if (!model) return std::nullopt;
  Result<Art<3>> art = checked_art(model->whole());
  if (!art) {
    context_.report(*r.node, fmt::format("{}: {}", r.path, art.error().what), art.error().accepted);
    return std::nullopt;
  }
  Art<3> out = std::move(art).value();
  for (Vec<3>& p : out.points) p *= r.scale;
  return out;
}

template <int D>
std::optional<Placed<D>> SceneReader<D>::fitted(const toml::node& at, const Art<D>& art,
                                                std::optional<Fit> as,
                                                const FitOptions<D>& options) {
  for (const std::string& text : art.notes) note(at, text);
  Offer<D> offer;
  std::string why;
  if (as) {
    Result<Offer<D>> one = fit(art, *as, options);
    if (!one) {
      context_.report(at, one.error());
      return std::nullopt;
    }
    offer = std::move(one).value();
  } else {
    Offers<D> all = fit_all(art, options);
    const Result<Choice> best = best_offer(art, all, options);
    if (!best) {
      const Error& error = all.refused.empty() ? best.error() : all.refused.front().second;
      context_.report(at, error);
      return std::nullopt;
    }
    offer = std::move(all.offers[best.value().offer]);
    why = ", " + best.value().because;
  }
  const Fitness<D>& f = offer.fitness;
  scene_.fitted.push_back(
      {context_.place(at), offer.triangles.empty() ? spelled(offer) : std::string(),
       fmt::format("{}: {}{:.4g} outward, {:.4g} inward{}", fit_name<D>(offer.as),
                   f.has_volume ? fmt::format("overlap {:.1f}%, ", 100 * f.overlap) : "", f.outward,
                   f.inward, why)});
  return offer.collider;
}

template <int D>
std::optional<Placed<D>> SceneReader<D>::fit_frame(const FitRequest& r, std::size_t frame,
                                                   const std::array<int, 4>& part) {
  std::string key = fmt::format(
      "{}|{}|{}|{}|{}|{}|{}|{}|{}|{}|{}|{}", r.path, r.as ? static_cast<int>(*r.as) : -1,
      fmt::join(part, ","), r.begins.size() > 1 ? r.begins[frame] : r.time, r.scale,
      r.options.tolerance, r.options.corners, r.options.parts, r.options.shrink, r.options.margin,
      fmt::join(r.options.cell.data(), r.options.cell.data() + D, ","), r.trace.least_opacity);
  if (r.size) key += fmt::format("|{},{}", (*r.size)[0], (*r.size)[1]);
  if (r.trace.ground) key += fmt::format("|{}", fmt::join(*r.trace.ground, ","));
  if (const auto known = fits_.find(key); known != fits_.end()) {
    // Worked out before, perhaps for another kind.
    typename Scene<D>::Fitted again = known->second.second;
    again.place = context_.place(*r.node);
    const auto here = [&](const auto& f) {
      return f.place.line == again.place.line && f.place.column == again.place.column;
    };
    if (!again.how.empty() && std::none_of(scene_.fitted.begin(), scene_.fitted.end(), here))
      scene_.fitted.push_back(std::move(again));
    return known->second.first;
  }
  if constexpr (D == 3)
    if (r.heights) {
      const auto pixels = picture_in(*r.node, r.path);
      if (!pixels) return std::nullopt;
      const Vec<2> cell = r.options.cell[0] > 0 ? Vec<2>(r.options.cell.template head<2>())
                                                : Vec<2>(Vec<2>::Constant(r.scale));
      const auto ground = made(heights_of(*pixels, cell, r.height), *r.node);
      if (!ground) return std::nullopt;
      const Vec<3> middle(0.5 * cell.x() * (pixels->width - 1), 0,
                          0.5 * cell.y() * (pixels->height - 1));
      return (fits_[key] = {{*ground, -middle, {}}, {}}).first;
    }
  const std::optional<Art<D>> art = art_of_frame(r, frame, part);
  const auto placed = art ? fitted(*r.node, *art, r.as, r.options) : std::nullopt;
  if (!placed) return std::nullopt;
  return (fits_[key] = {*placed, scene_.fitted.back()}).first;
}

template <int D>
auto SceneReader<D>::read_fit(const Section& collider) -> std::optional<Frames> {
  const auto s = collider.table("fit", "fit");
  auto request = s ? read_request(*s) : std::nullopt;
  if (!request) return std::nullopt;
  Frames frames;
  std::vector<std::array<int, 4>> parts;
  if (!cut_frames(*request, parts)) return std::nullopt;
  for (std::size_t i = 0; i < request->begins.size(); ++i) {
    auto placed = fit_frame(*request, i, parts[i]);
    if (!placed) return std::nullopt;
    placed->at += request->at;
    frames.colliders.push_back(std::move(*placed));
  }
  frames.at = request->begins;
  return frames;
}

// A collider for each frame, switched on when it begins and off when the next one does.
template <int D>
void SceneReader<D>::show_frames(const Frames& frames, const Section& s, const ColliderDef<D>& def,
                                 std::vector<ColliderDef<D>>& list) {
  if (frames.colliders.size() > 1 && !def.schedule.beats.empty())
    context_.report(*s.find("schedule"), "a collider has frames and a schedule", "one of the two");
  if (def.schedule.period > 0 && def.schedule.period <= frames.at.back())
    context_.report(*s.find("period"), "the period ends before the last frame begins",
                    fmt::format("more than {}", frames.at.back()));
  const Pose<D> own{def.at, def.turned};
  for (std::size_t i = 0; i < frames.colliders.size(); ++i) {
    ColliderDef<D> c = def;
    const Placed<D>& placed = frames.colliders[i];
    const Pose<D> pose = own * Pose<D>{placed.at, placed.turned};
    c.shape = placed.shape;
    c.at = pose.position;
    c.turned = pose.rotation;
    if (frames.colliders.size() > 1) {
      c.on = def.on && i == 0;
      if (i > 0) c.schedule.beats.push_back({0, false, std::nullopt});
      c.schedule.beats.push_back({frames.at[i], true, std::nullopt});
      if (i + 1 < frames.at.size())
        c.schedule.beats.push_back({frames.at[i + 1], false, std::nullopt});
    }
    list.push_back(std::move(c));
  }
}

template void SceneReader<2>::note(const toml::node&, const std::string&);
template void SceneReader<3>::note(const toml::node&, const std::string&);
template std::shared_ptr<const Pixels> SceneReader<2>::picture_in(const toml::node&,
                                                                  const std::string&);
template std::shared_ptr<const Pixels> SceneReader<3>::picture_in(const toml::node&,
                                                                  const std::string&);
template std::shared_ptr<const Model> SceneReader<2>::model_in(const toml::node&,
                                                               const std::string&, double);
template std::shared_ptr<const Model> SceneReader<3>::model_in(const toml::node&,
                                                               const std::string&, double);
template std::optional<Placed<2>> SceneReader<2>::fitted(const toml::node&, const Art<2>&,
                                                         std::optional<Fit>, const FitOptions<2>&);
template std::optional<Placed<3>> SceneReader<3>::fitted(const toml::node&, const Art<3>&,
                                                         std::optional<Fit>, const FitOptions<3>&);
template auto SceneReader<2>::read_colour(const Section&, std::string_view)
    -> std::optional<std::array<std::uint8_t, 3>>;
template auto SceneReader<3>::read_colour(const Section&, std::string_view)
    -> std::optional<std::array<std::uint8_t, 3>>;
template std::optional<Fit> SceneReader<2>::read_fit_name(const Section&, std::string_view);
template std::optional<Fit> SceneReader<3>::read_fit_name(const Section&, std::string_view);
template auto SceneReader<2>::read_fit(const Section&) -> std::optional<Frames>;
template auto SceneReader<3>::read_fit(const Section&) -> std::optional<Frames>;
template void SceneReader<2>::show_frames(const Frames&, const Section&, const ColliderDef<2>&,
                                          std::vector<ColliderDef<2>>&);
template void SceneReader<3>::show_frames(const Frames&, const Section&, const ColliderDef<3>&,
                                          std::vector<ColliderDef<3>>&);

}  // namespace colvik::scene
