#pragma once
/// Recordings: a run as a file that pictures, pages and reports read, also after a crash.
/// docs/recording.md says what is in it.
///
///     auto file = colvik::RecordingFile<2>::create("depot.rec", world, rules).value();
///     while (playing) { world.step(); file->record(); }
///     file->finish().value();

#include <colvik/export.hpp>
#include <colvik/run.hpp>

namespace colvik {

/// What a recording says of the run as a whole.
template <int D>
struct RecordingAbout {
  std::string title{};
  double length = 0;                ///< seconds it was to run; 0: unknown
  std::optional<Bounds<D>> view{};  ///< what pictures show
};

/// Writes a recording as the run goes: what was recorded can be read even if the program is killed.
template <int D>
class COLVIK_EXPORT RecordingFile {
 public:
  /// Records what is there now; before the first step, usually. World and rules must outlive it.
  /// Fails when the file cannot be written.
  [[nodiscard]] static Result<std::unique_ptr<RecordingFile>> create(
      const std::string& path, const World<D>& world, const Rules<D>& rules,
      const RecordingAbout<D>& about = {});
  ~RecordingFile();
  RecordingFile(const RecordingFile&) = delete;
  RecordingFile& operator=(const RecordingFile&) = delete;

  /// Records the last step: call it after each. Cost: 0.2 to 1 microseconds for each object that
  /// moved.
  void record();
  /// The world was loaded as it was at its start, see Run::restart.
  void begin_again();
  /// Calls these for all that the run notes, until one of the two is gone.
  void follow(Run<D>& run);
  /// Ends the recording. Fails when something could not be written, now or before.
  Result<void> finish(std::span<const Judged> verdicts = {});

 private:
  RecordingFile() = default;
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

struct RecorderOptions {
  double seconds = 10;                        ///< of the world's time that are kept; above 0
  std::size_t bytes = std::size_t{32} << 20;  ///< of memory for them, 64 KiB or more
};

/// Keeps the last seconds of a world that goes on and on, to write a recording of them when
/// something odd is seen. When the memory is too small for them, it keeps fewer.
template <int D>
class COLVIK_EXPORT Recorder {
 public:
  /// World and rules must outlive it. Throws UncheckedError on options out of range.
  Recorder(const World<D>& world, const Rules<D>& rules, const RecorderOptions& options = {});
  ~Recorder();
  Recorder(const Recorder&) = delete;
  Recorder& operator=(const Recorder&) = delete;

  /// Notes the last step: call it after each. Allocates only when objects come. Cost: 0.2 to 1
  /// microseconds for each object that moved.
  void record();
  /// The world was loaded as it was before: what is kept of it is forgotten.
  void begin_again();
  /// Seconds that are kept.
  [[nodiscard]] double seconds() const;
  /// Bytes of them.
  [[nodiscard]] std::size_t bytes() const;
  /// Writes what is kept. Fails when the file cannot be written.
  Result<void> write(const std::string& path, const std::string& title = {}) const;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

/// A recording that was read.
template <int D>
struct Recording {
  Trace<D> trace;  ///< positions rounded to 1/16384 of a metre, turns to 1/8192
  RecordingAbout<D> about;
  std::vector<Judged> verdicts;
  double since = 0;  ///< seconds of the world's time before the recording; the trace starts at 0
  bool complete = true;  ///< false: it ends before the run was over
  std::string cut{};     ///< then where and how it ends
};

/// Reads a recording. Of one that was cut off all whole steps. Fails, with the line, on what is no
/// recording and where one is damaged. Safe on hostile input.
[[nodiscard]] COLVIK_EXPORT Result<std::variant<Recording<2>, Recording<3>>> read_recording(
    const std::string& path);
/// Whether the file begins as a recording does.
[[nodiscard]] COLVIK_EXPORT bool is_recording(const std::string& path);

}  // namespace colvik
