// A run as an animated WebP picture.
#include <webp/encode.h>
#include <webp/mux.h>

#include <fmt/format.h>

#include <cmath>
#include <fstream>

#include "picture/sheet.h"

namespace colvik {

template <int D>
Result<void> draw_film(const Trace<D>& trace, const Bounds<D>* view, const std::string& path,
                       const PictureOptions& options, const FilmOptions& film) {
  const auto refuse = [&](const std::string& what, const std::string& accepted) {
    return Error{path, what, accepted};
  };
  if (!path.ends_with(".webp"))
    return refuse("is no kind of film that can be written", "a name that ends in .webp");
  if (options.width < 400 || options.width > 8000 || options.height < 400 || options.height > 8000)
    return refuse(fmt::format("a picture of {}x{} pixels", options.width, options.height),
                  "400 to 8000 pixels each way");
  if (!(film.rate >= 1 && film.rate <= 60) || !(film.speed >= 0.01 && film.speed <= 100))
    return refuse(fmt::format("{:g} pictures a second at speed {:g}", film.rate, film.speed),
                  "1 to 60, and 0.01 to 100");
  const double to = std::min(film.to.value_or(trace.time()), trace.time());
  if (!(film.from >= 0) || !(film.from <= to))
    return refuse(fmt::format("from {:g} s to {:g} s", film.from, to), "times within the run");
  const double count = std::floor((to - film.from) / film.speed * film.rate + 1e-9) + 1;
  if (count > 10000)
    return refuse(fmt::format("a film of {:g} pictures", count),
                  "up to 10000: fewer a second, faster, or a part of the run");
  if (Result<void> good = picture::check_options(trace, options); !good) return good;
  std::ofstream file(path, std::ios::binary);
  if (!file) return refuse("the film cannot be written", "a path in a folder that exists");

  WebPAnimEncoderOptions how;
  WebPAnimEncoderOptionsInit(&how);
  WebPConfig config;
  WebPConfigInit(&config);
  config.lossless = 1;  // few colours and sharp lines
  config.quality = 30;
  config.method = 1;
  const std::unique_ptr<WebPAnimEncoder, decltype(&WebPAnimEncoderDelete)> encoder(
      WebPAnimEncoderNew(options.width, options.height, &how), &WebPAnimEncoderDelete);
  PictureOptions still = options;
  still.strobe = 0;
  bool good = encoder != nullptr;
  const int pictures = static_cast<int>(count);
  for (int k = 0; k < pictures && good; ++k) {
    if (film.progress) film.progress(k, pictures);
    const double time = film.from + k * film.speed / film.rate;
    const auto paper = picture::Canvas::frame(options.width, options.height);
    picture::paint_sheet<D>(
        *paper, trace, view, still,
        std::min(trace.steps(), static_cast<std::uint64_t>(std::llround(time * trace.rate()))),
        nullptr);
    WebPPicture picture;
    WebPPictureInit(&picture);
    picture.use_argb = 1;
    picture.width = options.width;
    picture.height = options.height;
    good = WebPPictureImportBGRX(&picture, paper->pixels(), 4 * options.width) != 0 &&
           WebPAnimEncoderAdd(encoder.get(), &picture,
                              static_cast<int>(std::lround(1000 * k / film.rate)), &config) != 0;
    WebPPictureFree(&picture);
  }
  WebPData data;
  WebPDataInit(&data);
  good = good &&
         WebPAnimEncoderAdd(encoder.get(), nullptr,
                            static_cast<int>(std::lround(1000 * pictures / film.rate)),
                            nullptr) != 0 &&
         WebPAnimEncoderAssemble(encoder.get(), &data) != 0;
  if (good)
    file.write(reinterpret_cast<const char*>(data.bytes), static_cast<std::streamsize>(data.size));
  WebPDataClear(&data);
  if (!good || !file.flush()) return refuse("the film cannot be written", "room for it");
  return {};
}

template Result<void> draw_film(const Trace<2>&, const Bounds<2>*, const std::string&,
                                const PictureOptions&, const FilmOptions&);
template Result<void> draw_film(const Trace<3>&, const Bounds<3>*, const std::string&,
                                const PictureOptions&, const FilmOptions&);

}  // namespace colvik
