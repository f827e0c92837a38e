#include "stage.hpp"

#include <unistd.h>

#include <fstream>
#include <sstream>

#include "audio_thread.hpp"
#include "tidewater/audio_file.hpp"

namespace tidewater::testing {

namespace fs = std::filesystem;

const std::string book_head = "[book]\nname = \"stage\"\n";

Folder::Folder() {
  static int number = 0;
  root_ = fs::temp_directory_path() / ("tidewater-test-" + std::to_string(getpid()) + "-" + std::to_string(number++));
  fs::create_directories(root_);
}

Folder::~Folder() {
  std::error_code ignored;
  fs::remove_all(root_, ignored);
}

void Folder::write(const std::string& name, const std::string& text) const {
  fs::create_directories((root_ / name).parent_path());
  std::ofstream(root_ / name, std::ios::binary) << text;
}

void Folder::write_clip(const std::string& name, const std::vector<float>& samples, int channels, double rate) const {
  fs::create_directories((root_ / name).parent_path());
  AudioFileWriter file(path(name), Hertz{rate}, channels);
  file.write(samples);
  file.close();
}

std::string Folder::read(const std::string& name) const {
  std::ifstream in(root_ / name, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  return text.str();
}

void write_stage_clips(const Folder& folder) {
  folder.write_clip("clips/tone.wav", sine(1000, 0.5, 1, 0.5));
  folder.write_clip("clips/low.wav", sine(250, 0.5, 1, 0.5));
  folder.write_clip("clips/long.wav", sine(500, 2, 1, 0.5));
  folder.write_clip("clips/longer.wav", sine(300, 6, 1, 0.5));
  folder.write_clip("clips/hum.wav", sine(500, 0.2, 1, 0.5));
  folder.write_clip("clips/quiet.wav", sine(1000, 0.5, 1, 0.05));
  for (int i = 1; i <= 5; ++i) folder.write_clip("clips/n-" + std::to_string(i) + ".wav", sine(200 * i, 0.1, 1, 0.5));
  auto wide = sine(1000, 0.5, 2, 0.5);
  for (std::size_t i = 1; i < wide.size(); i += 2) wide[i] = 0;
  folder.write_clip("clips/wide.wav", wide, 2);
}

Stage::Stage(const std::string& book, ManagerOptions options, const std::function<void(const Folder&)>& more_clips, bool live) {
  write_stage_clips(folder);
  if (more_clips) more_clips(folder);
  folder.write("book.toml", book_head + book);
  bank = std::make_unique<Bank>(compile_book(folder.path("book.toml"), {options.rate}));
  options.offline = !live;
  streams_ = !live && (book.find("stream = true") != std::string::npos || book.find("stream=true") != std::string::npos);
  options.journal = [this](const JournalEntry& entry) { journal.push_back(entry); };
  manager = std::make_unique<SoundManager>(std::move(options));
  manager->load(*bank);
}

Take Stage::render(Seconds length) {
  constexpr std::int64_t frame = 800;
  Take take;
  manager->update({});
  for (std::int64_t left = frames(length, manager->rate()).value; left > 0; left -= frame) {
    std::vector<float> block(static_cast<std::size_t>(std::min(left, frame)) * 2);
    if (streams_)
      manager->render(block);
    else
      render_guarded(*manager, block);
    manager->update({});
    take.append(block);
  }
  return take;
}

std::vector<noted::Layer> Stage::starts() const {
  std::vector<noted::Layer> found;
  for (const auto& decision : entries<noted::Decision>())
    if (decision.start) found.push_back(*decision.start);
  return found;
}

std::string Stage::why() const {
  const auto decisions = entries<noted::Decision>();
  return decisions.empty() ? "" : decisions.back().why;
}

Take heard_clip(const Folder& folder, const std::string& name, const std::string& head) {
  folder.write("book.toml", book_head + head + "[sounds.a]\nclips=[\"" + name + "\"]\n[events.a]\nstart=\"a\"\n");
  SoundManager manager;
  manager.load(compile_book(folder.path("book.toml")));
  manager.raise("a");
  Take take;
  take.samples.resize(2 * (static_cast<std::size_t>(test_rate.value) + latency_frames));
  render_guarded(manager, take.samples);
  take.samples.erase(take.samples.begin(), take.samples.begin() + 2 * latency_frames);
  return take;
}

}  // namespace tidewater::testing
