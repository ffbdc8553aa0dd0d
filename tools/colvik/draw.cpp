#include <unistd.h>

#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <filesystem>
#include <iostream>

#include <colvik/picture.hpp>

#include "commands.h"

namespace colvik::tool {

void add_draw(CLI::App& app, DrawOptions& o) {
  CLI::App* c = app.add_subcommand("draw", "Draw a run: a moment, several, or all of it as a film");
  add_scene_or_recording(*c, o.scene);
  c->add_option("--out", o.out, "file to write: .png, .svg, or .webp for a film")->required();
  CLI::Option* at =
      c->add_option("--at", o.at,
                    "the moment to show, in seconds; the end of the run when left out")
          ->check(CLI::NonNegativeNumber);
  CLI::Option* strobe =
      c->add_option("--strobe", o.strobe, "so many moments of the run in one picture, 2 to 100")
          ->check(CLI::Range(2, 100))
          ->excludes(at);
  CLI::Option* when =
      c->add_option("--when", o.when,
                    "a reaction: a picture of each time it fired, OUT-1.png, OUT-2.png, ...")
          ->excludes(at)
          ->excludes(strobe);
  c->add_option("--every", o.every, "only every so many of these")
      ->check(CLI::Range(1, 1'000'000))
      ->needs(when);
  c->add_option("--follow", o.follow, "an object that stays in the middle");
  c->add_option("--crop", o.crop,
                "what to show: a region of the scene, or its corners, X,Y,X,Y (3D: X,Y,Z,X,Y,Z)");
  c->add_option("--eye", o.eye,
                "3D: degrees round the upright axis and above the horizon, such as 28,32; or top, "
                "front, side");
  c->add_flag("--four", o.four, "3D: from the top, the front, the side and the eye");
  c->add_option("--from", o.from, "a film: first moment, seconds")->capture_default_str();
  c->add_option("--to", o.to, "a film: last moment, seconds; the end when left out");
  c->add_option("--rate", o.rate, "a film: pictures a second, 1 to 60")->capture_default_str();
  c->add_option("--speed", o.speed, "a film: seconds of the run a second, 0.01 to 100")
      ->capture_default_str();
  c->add_option("--size", o.size, "WIDTHxHEIGHT in pixels")->capture_default_str();
  c->footer(
      "Examples:\n  build/bin/colvik draw data/night-depot.toml --out depot.png --at 4\n"
      "  build/bin/colvik draw data/night-depot.toml --out depot.webp --from 1 --to 3\n"
      "  build/bin/colvik draw data/mezzanine.toml --out four.png --four");
}

namespace {

std::optional<Eye> eye_of(const std::string& text) {
  if (text.empty()) return Eye{};
  if (text == "top") return Eye{0, 90};
  if (text == "front") return Eye{0, 0};
  if (text == "side") return Eye{90, 0};
  const auto both = numbers_in(text);
  if (!both || both->size() != 2) return std::nullopt;
  return Eye{(*both)[0], (*both)[1]};
}

// A region of the scene, or corners; nothing, after a message, if it is neither.
template <int D>
std::optional<Bounds<D>> cropped(const Seen<D>& seen, const std::string& crop, std::ostream& err) {
  if (seen.scene)
    if (const auto region = seen.scene->regions.find(crop); region != seen.scene->regions.end())
      return region->second;
  const auto n = numbers_in(crop);
  constexpr std::size_t kCorner = D;
  if (n && n->size() == 2 * kCorner) {
    Bounds<D> box;
    for (const std::size_t corner : {std::size_t{0}, kCorner}) {
      Vec<D> p;
      for (std::size_t k = 0; k < kCorner; ++k) p[static_cast<int>(k)] = (*n)[corner + k];
      box = box.merged(p);
    }
    if (box.size().minCoeff() > 0) return box;
  }
  std::vector<std::string> names;
  if (seen.scene)
    for (const auto& [name, region] : seen.scene->regions) names.push_back(name);
  err << fmt::format("colvik draw: --crop '{}': is no region{}; {}\n", crop,
                     seen.scene ? " of the scene" : "",
                     suggestion(crop, names,
                                D == 2 ? "a region's name, or two corners as X,Y,X,Y"
                                       : "a region's name, or two corners as X,Y,Z,X,Y,Z"));
  return std::nullopt;
}

template <int D>
int draw_film_of(const Seen<D>& seen, const Bounds<D>* view, const DrawOptions& o,
                 const PictureOptions& options, std::ostream& out, std::ostream& err) {
  FilmOptions film{.from = o.from, .rate = o.rate, .speed = o.speed};
  if (o.to >= 0) film.to = o.to;
  const bool terminal = isatty(STDERR_FILENO) != 0;
  int pictures = 0;
  film.progress = [&](int picture, int of) {
    pictures = of;
    if (terminal) err << fmt::format("\r{} of {} pictures ...", picture, of) << std::flush;
  };
  const Result<void> drawn = draw_film(seen.trace(), view, o.out, options, film);
  if (terminal) err << "\r\x1b[K" << std::flush;
  if (!drawn) return wrong("draw", drawn.error(), err);
  out << fmt::format("{}: {}x{} pixels, {} pictures, {:.1f} MB\n", o.out, options.width,
                     options.height, pictures,
                     static_cast<double>(std::filesystem::file_size(o.out)) / 1e6);
  return kAllMet;
}

// A picture of each time a reaction fired.
template <int D>
int draw_firings(const Seen<D>& seen, const Bounds<D>* view, const DrawOptions& o,
                 PictureOptions options, std::ostream& out, std::ostream& err) {
  const Trace<D>& trace = seen.trace();
  std::vector<std::string> names;
  for (const ReactionReport& r : trace.reactions()) names.push_back(r.name);
  const auto reaction = std::find(names.begin(), names.end(), o.when);
  if (reaction == names.end()) {
    err << fmt::format("colvik draw: --when {}: no reaction has that name; {}\n", o.when,
                       suggestion(o.when, names, "the name of a reaction of the run"));
    return kWrong;
  }
  const std::filesystem::path path(o.out);
  std::size_t fired = 0;
  std::size_t drawn = 0;
  for (const TraceFiring<D>& f : trace.firings()) {
    if (f.reaction != static_cast<std::size_t>(reaction - names.begin())) continue;
    if (fired++ % static_cast<std::size_t>(o.every) != 0) continue;
    options.at = static_cast<double>(f.step) / trace.rate();
    std::filesystem::path file = path;
    file.replace_filename(
        fmt::format("{}-{}{}", path.stem().string(), fired, path.extension().string()));
    if (const Result<void> good = draw_picture(trace, view, file.string(), options); !good)
      return wrong("draw", good.error(), err);
    out << fmt::format(
        "{}: {:.2f} s{}{}{}{}\n", file.string(), f.time, f.self != kNobody ? ", " : "",
        f.self != kNobody ? trace.objects()[f.self].name : "", f.other != kNobody ? " and " : "",
        f.other != kNobody ? trace.objects()[f.other].name : "");
    ++drawn;
  }
  if (drawn == 0) out << fmt::format("{} never fired: no picture\n", o.when);
  return kAllMet;
}

template <int D>
int draw_one(const Seen<D>& seen, const DrawOptions& o, PictureOptions options, std::ostream& out,
             std::ostream& err) {
  const double end = seen.scene ? seen.scene->length : seen.trace().time();
  if (o.at > end) {
    err << fmt::format("colvik draw: --at {:g}: the run is over at {:g} s; a time from 0 to {:g}\n",
                       o.at, end, end);
    return kWrong;
  }
  if (D == 2 && (o.four || !o.eye.empty())) {
    err << fmt::format("colvik draw: {} with a scene in 2D; one in 3D\n",
                       o.four ? "--four" : "--eye");
    return kWrong;
  }
  options.title = seen.title;
  std::optional<Bounds<D>> box = seen.view;
  if (!o.follow.empty()) box.reset();
  if (!o.crop.empty()) {
    box = cropped(seen, o.crop, err);
    if (!box) return kWrong;
  }
  const Bounds<D>* view = box ? &*box : nullptr;
  if (o.out.ends_with(".webp")) return draw_film_of(seen, view, o, options, out, err);
  if (!o.when.empty()) return draw_firings(seen, view, o, options, out, err);
  if (const Result<void> drawn = draw_picture(seen.trace(), view, o.out, options); !drawn)
    return wrong("draw", drawn.error(), err);
  out << fmt::format("{}: {}x{} pixels, {} reactions marked\n", o.out, options.width,
                     options.height, seen.trace().firings().size());
  return kAllMet;
}

}  // namespace

int draw(const DrawOptions& o, std::ostream& out, std::ostream& err) {
  PictureOptions options;
  int used = 0;
  const bool sized =
      std::sscanf(o.size.c_str(), "%dx%d%n", &options.width, &options.height, &used) == 2 &&
      static_cast<std::size_t>(used) == o.size.size();
  if (!sized) {
    err << fmt::format("colvik draw: --size '{}' is not a size; WIDTHxHEIGHT, such as 1280x800\n",
                       o.size);
    return kWrong;
  }
  const auto eye = eye_of(o.eye);
  if (!eye) {
    err << fmt::format(
        "colvik draw: --eye '{}' is no eye; ROUND,ABOVE in degrees, or top, front, side\n", o.eye);
    return kWrong;
  }
  const bool film = o.out.ends_with(".webp");
  if (film && (o.at >= 0 || o.strobe > 0 || !o.when.empty())) {
    err << "colvik draw: a film with --at, --strobe or --when; --from and --to\n";
    return kWrong;
  }
  if (!film && (o.from != 0 || o.to >= 0 || o.speed != 1)) {
    err << "colvik draw: --from, --to or --speed without a film; --out FILE.webp\n";
    return kWrong;
  }
  options.eye = *eye;
  options.four = o.four;
  options.follow = o.follow;
  if (o.at >= 0) options.at = o.at;
  options.strobe = o.strobe;
  const AnySeen seen = see(o.scene, err);
  if (!seen) return kWrong;
  return std::visit([&](const auto& what) { return draw_one(what, o, options, out, err); }, *seen);
}

}  // namespace colvik::tool
