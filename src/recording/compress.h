#pragma once
// Text to a compressed file (Zstandard, RFC 8878), so that what was flushed can be read although
// the file was never closed.
#include <colvik/result.hpp>

#include <zstd.h>

#include <fstream>
#include <memory>
#include <string>
#include <vector>

namespace colvik::recording {

class CompressedFile {
 public:
  Result<void> open(const std::string& path);
  void append(std::string_view text);
  void flush();
  Result<void> close();

 private:
  struct Free {
    void operator()(ZSTD_CCtx* context) const { ZSTD_freeCCtx(context); }
  };
  void compress(std::string_view text, ZSTD_EndDirective how);
  [[nodiscard]] Error cannot() const;
  std::string path_;
  std::ofstream file_;
  std::unique_ptr<ZSTD_CCtx, Free> context_;
  std::vector<char> room_;
  std::size_t since_frame_ = 0;
};

}  // namespace colvik::recording
