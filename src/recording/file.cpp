#include <zstd.h>

#include <fstream>

#include "recording/compress.h"
#include "recording/step_lines.h"

namespace colvik {

template <int D>
struct RecordingFile<D>::Impl {
  Impl(const World<D>& world, const Rules<D>& rules) : lines(world, rules) {}

  recording::StepLines<D> lines;
  recording::CompressedFile file;
  std::shared_ptr<RecordingFile*> follower;  // what a run calls, while this is there

  void step() {
    const std::string_view line = lines.step(false);
    file.append(lines.late_names());
    for (const auto& d : lines.descriptions()) file.append(d.line);
    file.append(line);
    file.flush();
  }
};

template <int D>
Result<std::unique_ptr<RecordingFile<D>>> RecordingFile<D>::create(const std::string& path,
                                                                   const World<D>& world,
                                                                   const Rules<D>& rules,
                                                                   const RecordingAbout<D>& about) {
  auto made = std::unique_ptr<RecordingFile>(new RecordingFile);
  made->impl_ = std::make_unique<Impl>(world, rules);
  if (const Result<void> opened = made->impl_->file.open(path); !opened) return opened.error();
  made->impl_->file.append(made->impl_->lines.head(about, 0));
  made->impl_->step();
  return made;
}

template <int D>
RecordingFile<D>::~RecordingFile() {
  if (impl_ != nullptr && impl_->follower != nullptr) *impl_->follower = nullptr;
}

template <int D>
void RecordingFile<D>::record() {
  impl_->step();
}

template <int D>
void RecordingFile<D>::begin_again() {
  impl_->lines.begin_again();
  impl_->file.append("{\"begun_again\":true}\n");
}

template <int D>
void RecordingFile<D>::follow(Run<D>& run) {
  if (impl_->follower == nullptr) impl_->follower = std::make_shared<RecordingFile*>(this);
  run.on_noted = [to = impl_->follower](bool begun_again) {
    if (*to == nullptr) return;
    if (begun_again) (*to)->begin_again();
    else (*to)->record();
  };
}

template <int D>
Result<void> RecordingFile<D>::finish(std::span<const Judged> verdicts) {
  impl_->file.append(impl_->lines.tail(verdicts));
  return impl_->file.close();
}

template class RecordingFile<2>;
template class RecordingFile<3>;

namespace recording {

Result<void> CompressedFile::open(const std::string& path) {
  path_ = path;
  context_.reset(ZSTD_createCCtx());
  ZSTD_CCtx_setParameter(context_.get(), ZSTD_c_compressionLevel, 1);
  ZSTD_CCtx_setParameter(context_.get(), ZSTD_c_checksumFlag, 1);
  room_.resize(ZSTD_CStreamOutSize());
  file_.open(path, std::ios::binary);
  if (!file_) return cannot();
  return {};
}

void CompressedFile::append(std::string_view text) {
  since_frame_ += text.size();
  compress(text, ZSTD_e_continue);
}

// What is whole can be read; now and then also with a checksum.
void CompressedFile::flush() {
  constexpr std::size_t kFrame = std::size_t{4} << 20;
  const bool end = since_frame_ >= kFrame;
  if (end) since_frame_ = 0;
  compress({}, end ? ZSTD_e_end : ZSTD_e_flush);
  file_.flush();
}

Result<void> CompressedFile::close() {
  compress({}, ZSTD_e_end);
  file_.close();
  if (!file_) return cannot();
  return {};
}

void CompressedFile::compress(std::string_view text, ZSTD_EndDirective how) {
  ZSTD_inBuffer in{text.data(), text.size(), 0};
  for (bool more = true; more;) {
    ZSTD_outBuffer out{room_.data(), room_.size(), 0};
    const std::size_t left = ZSTD_compressStream2(context_.get(), &out, &in, how);
    file_.write(room_.data(), static_cast<std::streamsize>(out.pos));
    more = how == ZSTD_e_continue ? in.pos < in.size : left > 0;
    if (ZSTD_isError(left) != 0) {
      file_.setstate(std::ios::failbit);
      more = false;
    }
  }
}

Error CompressedFile::cannot() const {
  return {path_, "the recording cannot be written",
          "a path in a folder that exists, and room there"};
}

}  // namespace recording
}  // namespace colvik
