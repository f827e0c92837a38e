#include "rendering.hpp"
#include "print.hpp"

#include <fmt/format.h>

#include <filesystem>

#include "tidewater/taps.hpp"

namespace tidewater::tool {

namespace fs = std::filesystem;

void Rendering::make_folder_of(const std::string& path) {
  std::error_code ignored;  // where it cannot be made, opening the file will say so
  if (const auto folder = fs::path(path).parent_path(); !folder.empty()) fs::create_directories(folder, ignored);
}

Rendering::Rendering(Files files, Hertz rate) : files_(std::move(files)), report_(rate) {
  for (const auto& path : {files_.sound, files_.journal, files_.picture}) make_folder_of(path);
  if (!files_.sound.empty()) sound_ = std::make_unique<AudioFileWriter>(files_.sound, rate, 2);
  if (!files_.journal.empty()) journal_ = std::make_unique<JournalFile>(files_.journal);
  if (!files_.picture.empty()) timeline_ = std::make_unique<Timeline>(rate);
}

JournalSink Rendering::sink() {
  return [this](const JournalEntry& entry) {
    report_.take(entry);
    if (journal_) journal_->write(entry);
    if (timeline_) timeline_->take(entry);
  };
}

void Rendering::listen(SoundManager& manager) {
  if (timeline_) tap(manager, {.group = [this](const TappedGroup& its) { timeline_->take_duck(its.group, its.from, its.ducked); }});
}

void Rendering::take(std::span<const float> samples) {
  report_.take(samples);
  if (sound_) sound_->write(samples);
  if (timeline_) timeline_->take(samples);
}

void Rendering::finish(const std::string& title) {
  if (sound_) sound_->close();
  if (journal_) journal_->close();
  if (timeline_) timeline_->draw(files_.picture, title);
  if (sound_) say("  sound      {}\n", files_.sound);
  if (journal_) say("  journal    {}\n", files_.journal);
  if (timeline_) say("  picture    {}\n", files_.picture);
}

}  // namespace tidewater::tool
