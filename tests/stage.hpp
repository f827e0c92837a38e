#pragma once
/// A folder of made-up clips, a book of one's own, and a manager that plays it offline.

#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "listening.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/journal_file.hpp"
#include "tidewater/manager.hpp"

namespace tidewater::testing {

/// A folder that goes when the test does.
class Folder {
 public:
  Folder();
  ~Folder();
  Folder(const Folder&) = delete;
  Folder& operator=(const Folder&) = delete;

  std::string path(const std::string& name = {}) const { return (root_ / name).string(); }
  void write(const std::string& name, const std::string& text) const;
  /// Writes interleaved samples as 32-bit float WAV.
  void write_clip(const std::string& name, const std::vector<float>& samples, int channels = 1, double rate = test_rate.value) const;
  std::string read(const std::string& name) const;

 private:
  std::filesystem::path root_;
};

/// An entry of one kind, and when it was noted.
template <class T>
struct Noted : T {
  Frames at;
};

/// The clips that a stage has: "tone.wav" (1 kHz, half a second), "low.wav" (250 Hz, half a second), "long.wav"
/// (500 Hz, two seconds), "hum.wav" (100 periods of 500 Hz: loops without a seam), "quiet.wav" (tone at -20 dB),
/// "n-1.wav" to "n-5.wav" (200, 400 ... 1000 Hz, 0.1 s), "wide.wav" (stereo: 1 kHz left, silence right). Peak 0.5 or as said.
class Stage {
 public:
  /// `book` is all but its head.
  /// `live` as on a sound card: streams are read ahead, and a raise keeps its time inside a block; else all is exact.
  explicit Stage(const std::string& book, ManagerOptions options = {}, const std::function<void(const Folder&)>& more_clips = {},
                 bool live = false);

  Raised raise(Name event) { return manager->raise(event); }
  /// One update, then the next `length` of sound in game frames of 1/60 s, with an update after each.
  Take render(Seconds length);

  /// What was noted so far of one kind.
  template <class T>
  std::vector<Noted<T>> entries() const {
    std::vector<Noted<T>> found;
    for (const auto& entry : journal)
      if (const T* what = entry.as<T>()) found.push_back({*what, entry.at});
    return found;
  }
  /// The requests of one kind.
  template <class T>
  std::vector<T> requests() const {
    std::vector<T> found;
    for (const auto& entry : journal)
      if (const auto* asked = entry.as<noted::Asked>(); asked != nullptr && std::holds_alternative<T>(asked->request))
        found.push_back(std::get<T>(asked->request));
    return found;
  }
  /// The first layers of all starts so far.
  std::vector<noted::Layer> starts() const;
  /// The last decision's words, or empty.
  std::string why() const;

  Folder folder;
  std::vector<JournalEntry> journal;
  std::unique_ptr<Bank> bank;
  std::unique_ptr<SoundManager> manager;

 private:
  bool streams_ = false;  ///< offline render reads files: what it is not watched for
};

/// What is not delayed is heard so long after the clock: the limiter's 70 frames, and a quantum but one.
inline constexpr int latency_frames = 133;

/// A second of one clip as a game hears it, from its first frame: "clips/NAME" of the folder, in a book with this head.
Take heard_clip(const Folder& folder, const std::string& name, const std::string& head = {});
/// Writes the clips of a stage into `folder`/clips.
void write_stage_clips(const Folder& folder);
/// A head, for books in tests.
extern const std::string book_head;

/// Which playbacks have a voice, told by what the journal says; each once, whatever layers it has.
inline std::vector<PlaybackId> sounding(const Stage& stage) {
  std::map<std::uint32_t, PlaybackId> on_voice;
  const auto takes = [&](std::uint32_t voice, PlaybackId id) {
    if (voice != noted::Layer::no_voice) on_voice[voice] = id;
  };
  for (const auto& entry : stage.journal) {
    if (const auto* decision = entry.as<noted::Decision>(); decision != nullptr && decision->start)
      takes(decision->start->voice, decision->playback);
    if (const auto* further = entry.as<noted::FurtherLayer>()) takes(further->layer.voice, further->playback);
    if (const auto* due = entry.as<noted::Due>()) takes(due->voice, due->playback);
    if (const auto* woke = entry.as<noted::Woke>()) takes(woke->voice, woke->playback);
    if (const auto* fading = entry.as<noted::Fading>()) on_voice.erase(fading->voice);
    if (const auto* ended = entry.as<noted::Ended>())
      std::erase_if(on_voice, [&](const auto& its) { return its.second == ended->playback; });
  }
  std::vector<PlaybackId> now;
  for (const auto& [ignored, id] : on_voice) now.push_back(id);
  std::sort(now.begin(), now.end());
  now.erase(std::unique(now.begin(), now.end()), now.end());
  return now;
}

}  // namespace tidewater::testing
