#pragma once
#include <memory>
#include <span>
#include <string>

#include "tidewater/audio_file.hpp"
#include "tidewater/author/report.hpp"
#include "tidewater/journal_file.hpp"
#include "tidewater/manager.hpp"
#include "tidewater/picture/timeline.hpp"

namespace tidewater::tool {

/// Where a rendering goes: a sound file, a journal, a picture; each only where it is asked for. Nothing takes its
/// name before `finish`.
class Rendering {
 public:
  struct Files {
    std::string sound, journal, picture;
  };
  Rendering(Files files, Hertz rate);

  JournalSink sink();
  /// Lets the picture know of ducks. Before anything renders.
  void listen(SoundManager& manager);
  void take(std::span<const float> samples);
  /// `title` stands above the picture. Prints where the files are.
  void finish(const std::string& title);
  /// Makes the folder that a file is to lie in.
  static void make_folder_of(const std::string& path);
  const Report& report() const { return report_; }

 private:
  Files files_;
  Report report_;
  std::unique_ptr<AudioFileWriter> sound_;
  std::unique_ptr<JournalFile> journal_;
  std::unique_ptr<Timeline> timeline_;
};

}  // namespace tidewater::tool
