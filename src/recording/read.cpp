#include <zstd.h>

#include <fmt/format.h>

#include <fstream>

#include "recording/step_lines.h"
#include "recording/trace_maker.h"

namespace colvik {

namespace {

using Json = nlohmann::json;
using recording::Wrong;

constexpr std::string_view kMagic = "\x28\xb5\x2f\xfd";  // of a Zstandard frame
constexpr std::string_view kPlain = "{\"colvik_recording\"";
constexpr std::size_t kLongestLine = std::size_t{256} << 20;
constexpr std::uint64_t kLongestText = std::uint64_t{8} << 30;

bool begins_with(const std::string& path, std::string_view what) {
  std::ifstream file(path, std::ios::binary);
  std::string begin(what.size(), '\0');
  return file.read(begin.data(), static_cast<std::streamsize>(begin.size())) && begin == what;
}

// The lines of a file, compressed or not, one by one.
class Lines {
 public:
  explicit Lines(const std::string& path)
      : file_(path, std::ios::binary),
        packed_(begins_with(path, kMagic)),
        stream_(ZSTD_createDStream()),
        input_(ZSTD_DStreamInSize()) {}
  ~Lines() { ZSTD_freeDStream(stream_); }
  Lines(const Lines&) = delete;
  Lines& operator=(const Lines&) = delete;

  // The next whole line; nullopt at the end. Throws Wrong where the file is damaged.
  std::optional<std::string_view> next() {
    text_.erase(0, taken_);
    taken_ = 0;
    std::size_t from = 0;
    for (;;) {
      if (const std::size_t at = text_.find('\n', from); at != std::string::npos) {
        taken_ = at + 1;
        return std::string_view(text_).substr(0, at);
      }
      from = text_.size();
      if (from > kLongestLine || sum_ > kLongestText)
        throw Wrong{"is too long", "lines up to 256 MB, and 8 GB of text"};
      if (!more()) return std::nullopt;
    }
  }
  [[nodiscard]] bool cut() const { return !text_.empty() || in_frame_; }

 private:
  bool more() {
    if (waiting_.pos == waiting_.size) {
      file_.read(input_.data(), static_cast<std::streamsize>(input_.size()));
      waiting_ = {input_.data(), static_cast<std::size_t>(file_.gcount()), 0};
      if (waiting_.size == 0) return false;
    }
    const std::size_t before = text_.size();
    if (!packed_) {
      text_.append(input_.data(), waiting_.size);
      waiting_.pos = waiting_.size;
    } else {
      text_.resize(before + ZSTD_DStreamOutSize());
      ZSTD_outBuffer out{text_.data() + before, ZSTD_DStreamOutSize(), 0};
      const std::size_t left = ZSTD_decompressStream(stream_, &out, &waiting_);
      text_.resize(before + out.pos);
      if (ZSTD_isError(left) != 0)
        throw Wrong{fmt::format("is damaged: {}", ZSTD_getErrorName(left)), "an unchanged file"};
      in_frame_ = left != 0;
    }
    sum_ += text_.size() - before;
    return true;
  }

  std::ifstream file_;
  bool packed_;
  ZSTD_DStream* stream_;
  std::vector<char> input_;
  ZSTD_inBuffer waiting_{nullptr, 0, 0};
  std::string text_;
  std::size_t taken_ = 0;
  std::uint64_t sum_ = 0;
  bool in_frame_ = false;
};

Json parsed(std::string_view line) {
  Json json = Json::parse(line, nullptr, false);
  if (json.is_discarded() || !json.is_object())
    throw Wrong{"is no JSON object", "a line as docs/recording.md says"};
  return json;
}

template <int D>
void take(TraceMaker<D>& maker, const Json& line) {
  if (maker.ended) throw Wrong{"comes after the end", "nothing"};
  if (line.contains("step")) maker.step(line);
  else if (line.contains("object")) maker.describe(line);
  else if (line.contains("tags")) maker.names(line);
  else if (line.contains("begun_again")) maker.begin_again();
  else if (line.contains("end")) maker.end(line["end"]);
  else throw Wrong{"has none of the keys that lines have", "a line as docs/recording.md says"};
}

template <int D>
Recording<D> read_rest(Lines& lines, const Json& head, std::uint64_t& number) {
  TraceMaker<D> maker;
  maker.head(head);
  while (const auto line = lines.next()) {
    ++number;
    take(maker, parsed(*line));
  }
  ++number;
  if (!maker.begun) throw Wrong{"ends before its first step", "at least one step"};
  if (maker.ended) return std::move(maker.made);
  maker.made.complete = false;
  maker.made.cut = fmt::format("it ends after step {}, {:g} s, before the run was over",
                               maker.made.trace.steps(), maker.made.trace.time());
  return std::move(maker.made);
}

}  // namespace

bool is_recording(const std::string& path) {
  return begins_with(path, kMagic) || begins_with(path, kPlain);
}

Result<std::variant<Recording<2>, Recording<3>>> read_recording(const std::string& path) {
  if (!std::ifstream(path)) return Error{path, "cannot be read", "a recording"};
  if (!is_recording(path)) return Error{path, "is no recording", "what run --record wrote"};
  std::uint64_t number = 1;
  const auto refuse = [&](const std::string& what, const std::string& accepted) {
    return Error{fmt::format("{}: line {}", path, number), what, accepted};
  };
  try {
    Lines lines(path);
    const auto first = lines.next();
    if (!first) throw Wrong{"ends before its first line", "a whole recording"};
    const Json head = parsed(*first);
    if (const int version = head.at("colvik_recording").get<int>(); version != recording::kVersion)
      throw Wrong{fmt::format("is of version {}", version),
                  fmt::format("version {}", recording::kVersion)};
    const int dimensions = head.at("dimensions").get<int>();
    if (dimensions == 2) return {read_rest<2>(lines, head, number)};
    if (dimensions == 3) return {read_rest<3>(lines, head, number)};
    throw Wrong{fmt::format("has {} dimensions", dimensions), "2 or 3"};
  } catch (const Wrong& wrong) {
    return refuse(wrong.what, wrong.accepted);
  } catch (const Json::exception& problem) {
    const std::string text = problem.what();  // "[json.exception....] reason"
    const std::size_t reason = text.find("] ");
    return refuse("does not fit: " + (reason == std::string::npos ? text : text.substr(reason + 2)),
                  "a line as docs/recording.md says");
  }
}

}  // namespace colvik
