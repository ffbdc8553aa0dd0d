#include "recording/compress.h"

namespace colvik::recording {

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

}  // namespace colvik::recording
