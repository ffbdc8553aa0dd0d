#include <unistd.h>

#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <chrono>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <ostream>

#include <colvik/art.hpp>
#include <colvik/fit_picture.hpp>

#include "commands.h"
#include "fit_write.h"

namespace colvik::tool {

void add_fit(CLI::App& app, FitFileOptions& o) {
  CLI::App* c = app.add_subcommand("fit", "Colliders for pictures, drawings and models, measured");
  c->add_option("art", o.art, "PNG, SVG, OBJ, glTF (.gltf, .glb)")->required();
  c->add_option("--as", o.as, "one of them: circle, box, capsule, ...; heights for a grey picture");
  c->add_flag("--best", o.best, "the cheapest within the tolerance, and why");
  c->add_option("--tolerance", o.tolerance,
                "units; a fiftieth of the art's longest side when left out");
  c->add_option("--corners", o.corners, "at most so many: polygon, rounded (8), hull (32)");
  c->add_option("--parts", o.parts, "at most so many: parts (16), union (4)");
  c->add_option("--shrink", o.shrink, "so much smaller than the art, such as 10%");
  c->add_option("--margin", o.margin, "units by which it stays inside on all sides");
  c->add_option("--scale", o.scale, "units for a pixel, or a unit of the drawing or model; 1");
  c->add_option("--size", o.size,
                "WIDTH,HEIGHT of the whole picture, frame or drawing, instead of --scale");
  c->add_option("--ground", o.ground,
                "PNG: #rrggbb that is not the thing, instead of transparency");
  c->add_option("--opacity", o.opacity, "PNG: least opacity of the thing, 1 to 255")
      ->check(CLI::Range(1, 255))
      ->capture_default_str();
  c->add_option("--part", o.part, "PNG: LEFT,TOP,WIDTH,HEIGHT in pixels");
  c->add_option("--frames", o.frames, "PNG: WIDTHxHEIGHT in pixels of a frame; each is fitted");
  c->add_option("--cell", o.cell, "tiles: WIDTH,HEIGHT of a cell; heights: between neighbours");
  c->add_option("--height", o.height, "heights: of white")->capture_default_str();
  c->add_option("--time", o.time, "glTF: of its first animation, seconds")
      ->check(CLI::NonNegativeNumber);
  c->add_option("--name", o.name, "the kind that is written; the file's name when left out");
  c->add_flag("--linked", o.linked,
              "written so that it is worked out at load, not as the numbers of now");
  CLI::Option* write =
      c->add_option("--write", o.write,
                    "SCENE KIND: put it into the kind's collider, all else as it was")
          ->expected(2);
  c->add_option("--out", o.out, "a picture of every offer over the art: .png or .svg");
  c->add_flag("--json", o.json, "as JSON")->excludes(write);
  add_files(*c);
  c->footer(
      "Exit status: 0 fitted, 2 the art or the call is wrong.\n\nExamples:\n"
      "  build/bin/colvik fit data/depot-robot.png --scale 0.01 --out robot.png\n"
      "  build/bin/colvik fit data/depot-robot.png --size 1,1 --best --name robot\n"
      "  build/bin/colvik fit data/depot-robot.png --scale 0.01 --as capsule --shrink 10%\n"
      "  build/bin/colvik fit data/ramp.obj --as parts");
}

namespace {

double fit_clock() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

// "1,2,3" or "1x2" as so many numbers; nothing after a message.
std::optional<std::vector<double>> numbers_of(const char* option, std::string text,
                                              std::size_t count, std::ostream& err) {
  std::replace(text.begin(), text.end(), 'x', ',');
  if (auto all = numbers_in(text); all && all->size() == count) return all;
  err << fmt::format("colvik fit: {} '{}' is not usable; {} numbers with commas between them\n",
                     option, text, count);
  return std::nullopt;
}

// One piece of art, and what its file is.
template <int D>
struct Fitting {
  std::string label;  // "crate.png", "sheet.png frame 3"
  std::string stem;
  std::string path;
  std::string about;  // "64 x 48 pixels"
  Art<D> art;
  double scale = 1;
  std::string linked_keys;  // of `fit`, besides the file and the kind of fit
  std::string drawing{};    // PNG to show beneath, if it is all of it
};

class FitCommand {
 public:
  FitCommand(const FitFileOptions& o, std::ostream& out, std::ostream& err)
      : o_(o), out_(out), err_(err) {}

  int run() {
    if (!read_options()) return kWrong;
    if (!o_.write.empty() && o_.art.size() > 1)
      return say("--write with several files; one of them");
    for (const std::string& path : o_.art)
      if (const int status = file(path); status != kAllMet) return status;
    if (o_.json) out_ << json_.dump(2) << '\n';
    return kAllMet;
  }

 private:
  int say(const std::string& text) {
    err_ << "colvik fit: " << text << '\n';
    return kWrong;
  }

  bool read_options() {
    if (!o_.shrink.empty()) {
      std::string number = o_.shrink;
      const bool percent = number.ends_with('%');
      if (percent) number.pop_back();
      const auto value = numbers_of("--shrink", number, 1, err_);
      if (!value) return false;
      shrink_ = percent ? (*value)[0] / 100 : (*value)[0];
    }
    if (!o_.size.empty()) {
      if (o_.scale > 0) return say("--size and --scale; one of the two") == kAllMet;
      const auto size = numbers_of("--size", o_.size, 2, err_);
      if (!size) return false;
      size_ = Vec<2>((*size)[0], (*size)[1]);
      if (!(size_->minCoeff() > 0)) return say("--size is not above 0; WIDTH,HEIGHT") == kAllMet;
    }
    if (o_.scale != 0 && !(o_.scale > 0 && o_.scale < 1e9))
      return say(fmt::format("--scale {} is not usable; above 0", o_.scale)) == kAllMet;
    if (!o_.ground.empty()) {
      trace_.ground = colour_named(o_.ground);
      if (!trace_.ground)
        return say(fmt::format("--ground '{}' is no colour; #rrggbb", o_.ground)) == kAllMet;
    }
    trace_.least_opacity = o_.opacity;
    if (!o_.part.empty()) {
      const auto part = numbers_of("--part", o_.part, 4, err_);
      if (!part) return false;
      for (std::size_t i = 0; i < 4; ++i)
        trace_.part[i] = static_cast<int>(std::clamp((*part)[i], -1e6, 1e6));
    }
    if (!o_.cell.empty()) {
      const auto cell = numbers_of("--cell", o_.cell, 2, err_);
      if (!cell) return false;
      cell_ = {(*cell)[0], (*cell)[1]};
    }
    return true;
  }

  template <int D>
  FitOptions<D> options() {
    FitOptions<D> f;
    f.tolerance = o_.tolerance;
    f.corners = o_.corners;
    f.parts = o_.parts;
    f.shrink = shrink_;
    f.margin = o_.margin;
    if constexpr (D == 2) f.cell = cell_;
    if (isatty(STDERR_FILENO) != 0)
      f.progress = [this, shown = fit_clock()](double part) mutable {
        if (fit_clock() - shown < 0.5) return;
        shown = fit_clock();
        progress_ = true;
        err_ << fmt::format("\r{:.0f}% ...", 100 * part) << std::flush;
      };
    return f;
  }

  int file(const std::string& path) {
    const std::string ending = ending_of(path);
    if (ending == ".png" && o_.as == "heights") return heights(path);
    if (ending == ".png") return png(path);
    if (ending == ".svg") return svg(path);
    if (ending == ".obj" || ending == ".gltf" || ending == ".glb") return model(path);
    return say(fmt::format("{}: art of the kind '{}' is not read; .png, .svg, .obj, .gltf or .glb",
                           path, ending));
  }

  // Units for a pixel or a unit of the drawing; nothing where --size has other proportions.
  [[nodiscard]] std::optional<double> scale_of(const Vec<2>& own) const {
    return size_ ? scale_to(*size_, own) : std::optional(o_.scale > 0 ? o_.scale : 1);
  }

  int png(const std::string& path) {
    const Result<Pixels> pixels = read_png(path);
    if (!pixels) return wrong("fit", pixels.error(), err_);
    const Pixels& p = pixels.value();
    std::vector<std::array<int, 4>> parts{trace_.part};
    if (!o_.frames.empty()) {
      const auto cell = numbers_of("--frames", o_.frames, 2, err_);
      if (!cell) return kWrong;
      const auto w = static_cast<int>((*cell)[0]);
      const auto h = static_cast<int>((*cell)[1]);
      if (w < 1 || h < 1 || w > p.width || h > p.height)
        return say(fmt::format("--frames {}: no frame of that size in {} x {} pixels; WIDTHxHEIGHT",
                               o_.frames, p.width, p.height));
      parts.clear();
      for (int y = 0; y + h <= p.height; y += h)
        for (int x = 0; x + w <= p.width; x += w) parts.push_back({x, y, w, h});
    }
    for (std::size_t i = 0; i < parts.size(); ++i) {
      TraceOptions trace = trace_;
      trace.part = parts[i];
      const int width = parts[i][2] > 0 ? parts[i][2] : p.width;
      const int height = parts[i][3] > 0 ? parts[i][3] : p.height;
      const auto pixel = scale_of({static_cast<double>(width), static_cast<double>(height)});
      if (pixel) trace.pixel = *pixel;
      else
        return say(
            fmt::format("{}: {} x {} pixels are not as high as --size says; a size of the same "
                        "proportions",
                        path, width, height));
      Result<Art<2>> art = traced(p, trace);
      const bool many = parts.size() > 1;
      const std::string label = path + (many ? fmt::format(" frame {}", i) : "");
      if (!art) {
        if (!many) return wrong("fit", {path, art.error().what, art.error().accepted}, err_);
        err_ << fmt::format("{}: {}\n", label, art.error().what);
        continue;
      }
      std::string keys = size_ ? fmt::format(", size = [{}, {}]", size_->x(), size_->y())
                               : fmt::format(", scale = {}", trace.pixel);
      if (trace.ground) keys += fmt::format(", ground = \"{}\"", o_.ground);
      if (o_.opacity != 128) keys += fmt::format(", opacity = {}", o_.opacity);
      if (parts[i][2] > 0) keys += fmt::format(", part = [{}]", fmt::join(parts[i], ", "));
      const std::string stem = std::filesystem::path(path).stem().string();
      const int status =
          one<2>({label, many ? fmt::format("{}-{}", stem, i) : stem, path,
                  fmt::format("{} x {} pixels of {:.4g}", width, height, trace.pixel),
                  std::move(art).value(), trace.pixel, keys, parts[i][2] > 0 ? "" : path});
      if (status != kAllMet) return status;
    }
    return kAllMet;
  }

  int svg(const std::string& path) {
    const Result<SvgDrawing> drawing = read_svg(path);
    if (!drawing) return wrong("fit", drawing.error(), err_);
    const Vec<2> own = drawing.value().size;
    const auto scale = scale_of(own);
    if (!scale)
      return say(
          fmt::format("{}: a view box of {} x {} is not as high as --size says; a size of the "
                      "same proportions",
                      path, own.x(), own.y()));
    Result<Art<2>> art = art_of(drawing.value(), *scale);
    if (!art) return wrong("fit", {path, art.error().what, art.error().accepted}, err_);
    return one<2>({path, std::filesystem::path(path).stem().string(), path,
                   fmt::format("a view box of {:.4g} x {:.4g}", own.x(), own.y()),
                   std::move(art).value(), *scale, fmt::format(", scale = {}", *scale)});
  }

  int model(const std::string& path) {
    const Result<Model> model = read_model(path, {.time = o_.time});
    if (!model) return wrong("fit", model.error(), err_);
    const double scale = o_.scale > 0 ? o_.scale : 1;
    Art<3> whole = model.value().whole();
    for (Vec<3>& p : whole.points) p *= scale;
    Result<Art<3>> art = checked_art(std::move(whole));
    if (!art) return wrong("fit", {path, art.error().what, art.error().accepted}, err_);
    std::string keys = fmt::format(", scale = {}", scale);
    if (o_.time > 0) keys += fmt::format(", time = {}", o_.time);
    return one<3>({path, std::filesystem::path(path).stem().string(), path,
                   fmt::format("{} triangles, {} nodes", art.value().triangles.size(),
                               model.value().nodes.size()),
                   std::move(art).value(), scale, keys});
  }

  int heights(const std::string& path) {
    const Result<Pixels> pixels = read_png(path);
    if (!pixels) return wrong("fit", pixels.error(), err_);
    const Vec<2> cell =
        cell_.x() > 0 ? cell_ : Vec<2>(Vec<2>::Constant(o_.scale > 0 ? o_.scale : 1));
    const Result<Shape<3>> shape = heights_of(pixels.value(), cell, o_.height);
    if (!shape) return wrong("fit", {path, shape.error().what, shape.error().accepted}, err_);
    const Vec<3> size = bounds(shape.value(), Pose<3>{}).size();
    const std::string text = fmt::format(
        "fit = {{ picture = \"{}\", as = \"heights\", cell = [{}, {}], height = {} }}\n", path,
        cell.x(), cell.y(), o_.height);
    out_ << fmt::format("# {}: {} x {} heights, {:.4g} x {:.4g} x {:.4g}\n{}", path,
                        pixels.value().width, pixels.value().height, size.x(), size.y(), size.z(),
                        text);
    return o_.write.empty() ? kAllMet : write(text);
  }

  template <int D>
  int one(const Fitting<D>& f) {
    FitOptions<D> wanted = options<D>();
    Offers<D> offers;
    if (o_.as.empty()) {
      offers = fit_all(f.art, wanted);
    } else {
      const auto as = fit_named<D>(o_.as);
      if (!as) {
        std::vector<std::string> names;
        for (const Fit fit : fits<D>()) names.emplace_back(fit_name<D>(fit));
        return say(fmt::format(
            "--as {}: no fit of {}; {}", o_.as, D == 2 ? "drawings" : "models",
            suggestion(o_.as, names, fmt::format("one of: {}", fmt::join(names, ", ")))));
      }
      const Result<Offer<D>> offer = fit(f.art, *as, wanted);
      if (!offer) return wrong("fit", offer.error(), err_);
      offers.offers.push_back(offer.value());
    }
    if (progress_) err_ << "\r\x1b[K" << std::flush;
    if (offers.offers.empty())
      return offers.refused.empty() ? say("nothing fits")
                                    : wrong("fit", offers.refused.front().second, err_);
    std::vector<FitCost> costs;
    for (const Offer<D>& offer : offers.offers)
      costs.push_back(cost_of(offer.collider.shape, &fit_clock));
    std::optional<Choice> best;
    if (o_.as.empty()) best = best_offer(f.art, offers, wanted).value();
    if (o_.json) add_json(f, offers, costs, best);
    else table(f, offers, costs, best);
    if (!o_.out.empty()) {
      const FitPicture<D> picture{
          .title = f.label + ": " + f.about, .drawing = f.drawing, .costs = costs, .best = best};
      std::filesystem::path file(o_.out);
      if (o_.art.size() > 1 || !o_.frames.empty())
        file.replace_filename(
            fmt::format("{}-{}{}", file.stem().string(), f.stem, file.extension().string()));
      if (const auto drawn = draw_fit(f.art, offers, file.string(), picture); !drawn)
        return wrong("fit", drawn.error(), err_);
      if (!o_.json) out_ << fmt::format("{}: 1280x800 pixels\n", file.string());
    }
    if (o_.as.empty() && !o_.best && o_.write.empty()) return kAllMet;
    const Offer<D>& chosen = offers.offers[best ? best->offer : 0];
    const std::string text = text_of(f, chosen);
    if (!o_.write.empty()) return write(text);
    if (!o_.json) {
      out_ << fmt::format("\n[kinds.{}.collider]\n{}", o_.name.empty() ? f.stem : o_.name, text);
    }
    return kAllMet;
  }

  // As scenes spell it; a mesh, or what is to be linked, by its file.
  template <int D>
  std::string text_of(const Fitting<D>& f, const Offer<D>& offer) {
    constexpr std::size_t kMostTriangles = 200;
    if (!o_.linked && offer.triangles.size() <= kMostTriangles) return spelled(offer);
    std::string keys = f.linked_keys;
    if (o_.tolerance > 0) keys += fmt::format(", tolerance = {}", o_.tolerance);
    if (o_.corners > 0) keys += fmt::format(", corners = {}", o_.corners);
    if (o_.parts > 0) keys += fmt::format(", parts = {}", o_.parts);
    if (shrink_ > 0) keys += fmt::format(", shrink = {}", shrink_);
    if (o_.margin > 0) keys += fmt::format(", margin = {}", o_.margin);
    if (offer.as == Fit::tiles) keys += fmt::format(", cell = [{}, {}]", cell_.x(), cell_.y());
    std::filesystem::path file(f.path);
    if (!o_.write.empty()) {  // as seen from the scene
      std::error_code failed;
      const std::filesystem::path folder = std::filesystem::absolute(o_.write[0]).parent_path();
      const std::filesystem::path beside = std::filesystem::relative(f.path, folder, failed);
      if (!failed) file = beside;
    }
    return fmt::format("fit = {{ {} = \"{}\", as = \"{}\"{} }}\n", D == 2 ? "picture" : "model",
                       file.generic_string(), fit_name<D>(offer.as), keys);
  }

  int write(const std::string& text) {
    const Result<std::string> done = write_collider(o_.write[0], o_.write[1], text);
    if (!done) return wrong("fit", done.error(), err_);
    out_ << done.value();
    return kAllMet;
  }

  template <int D>
  void table(const Fitting<D>& f, const Offers<D>& offers, const std::vector<FitCost>& costs,
             const std::optional<Choice>& best) {
    const Vec<D> size = bounds_of(f.art).size();
    out_ << fmt::format("{}: {}, art {:.4g}\n", f.label, f.about,
                        fmt::join(size.data(), size.data() + D, " x "));
    for (const std::string& note : f.art.notes) out_ << "  " << note << '\n';
    if constexpr (D == 2)
      if (!f.drawing.empty() && f.art.loops.size() == 1 && f.art.loops[0].size() == 4 &&
          bounds_of(f.art).size() == f.art.frame.size())
        out_ << "  no pixel is transparent: all of the picture is the thing; --ground leaves a "
                "colour "
                "out\n";
    out_ << fmt::format("{:<11}{:>9}{:>9}{:>9}{:>10}{:>10}{:>9}{:>7}{:>9}{:>8}{:>10}{:>7}\n", "fit",
                        "overlap", "covers", "spills", "outward", "inward", "bump", "mass",
                        "inertia", "pieces", "contacts", "time");
    for (std::size_t i = 0; i < offers.offers.size(); ++i) {
      const Offer<D>& offer = offers.offers[i];
      const Fitness<D>& w = offer.fitness;
      const auto share = [&](double part) {
        return w.has_volume ? fmt::format("{:.1f}%", 100 * part) : std::string("-");
      };
      const auto times = [&](double by) {
        return w.mass > 0 ? fmt::format("{:.2f}", by) : std::string("-");
      };
      out_ << fmt::format(
          "{:<11}{:>9}{:>9}{:>9}{:>10.3g}{:>10.3g}{:>9}{:>7}{:>9}{:>8}{:>10.2f}{:>7.1f}\n",
          fit_name<D>(offer.as), share(w.overlap), share(w.covered), share(w.spilled), w.outward,
          w.inward, is_scenery(offer.collider.shape.kind) ? "-" : fmt::format("{:.3g}", w.bump),
          times(w.mass), times(w.inertia), w.pieces, costs[i].contacts, costs[i].time);
    }
    for (const auto& [as, error] : offers.refused)
      out_ << fmt::format("{:<11}not offered: {}\n", fit_name<D>(as), error.message());
    if (best)
      out_ << fmt::format("best: {}, {}\n", fit_name<D>(offers.offers[best->offer].as),
                          best->because);
  }

  template <int D>
  void add_json(const Fitting<D>& f, const Offers<D>& offers, const std::vector<FitCost>& costs,
                const std::optional<Choice>& best) {
    using OrderedJson = nlohmann::ordered_json;
    const auto list = [](const auto& v) {
      return OrderedJson(std::vector<double>(v.data(), v.data() + v.size()));
    };
    OrderedJson art{{"art", f.label}, {"size", list(bounds_of(f.art).size())}, {"scale", f.scale}};
    art["notes"] = f.art.notes;
    art["offers"] = OrderedJson::array();
    for (std::size_t i = 0; i < offers.offers.size(); ++i) {
      const Offer<D>& offer = offers.offers[i];
      const Fitness<D>& w = offer.fitness;
      OrderedJson one{{"as", fit_name<D>(offer.as)}};
      if (w.has_volume) {
        one["overlap"] = w.overlap;
        one["covered"] = w.covered;
        one["spilled"] = w.spilled;
      }
      one["outward"] = w.outward;
      one["inward"] = w.inward;
      if (!is_scenery(offer.collider.shape.kind)) one["bump"] = w.bump;
      if (w.mass > 0) {
        one["mass"] = w.mass;
        one["off_centre"] = list(w.off_centre);
        one["inertia"] = w.inertia;
      }
      one["pieces"] = w.pieces;
      one["corners"] = w.corners;
      one["contacts"] = costs[i].contacts;
      one["time"] = costs[i].time;
      one["collider"] = text_of(f, offer);
      art["offers"].push_back(std::move(one));
    }
    art["refused"] = OrderedJson::array();
    for (const auto& [as, error] : offers.refused)
      art["refused"].push_back({{"as", fit_name<D>(as)}, {"because", error.message()}});
    if (best)
      art["best"] = {{"as", fit_name<D>(offers.offers[best->offer].as)},
                     {"because", best->because}};
    json_.push_back(std::move(art));
  }

  const FitFileOptions& o_;
  std::ostream& out_;
  std::ostream& err_;
  double shrink_ = 0;
  std::optional<Vec<2>> size_;
  TraceOptions trace_;
  Vec<2> cell_ = kZero;
  bool progress_ = false;
  nlohmann::ordered_json json_ = nlohmann::ordered_json::array();
};

}  // namespace

int fit_art(const FitFileOptions& o, std::ostream& out, std::ostream& err) {
  return FitCommand(o, out, err).run();
}

}  // namespace colvik::tool
