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

}  // namespace colvik
