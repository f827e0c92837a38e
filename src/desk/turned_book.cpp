#include "desk/turned_book.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <utility>

#include "author/book/parse_in_folder.hpp"
#include "author/edit/edit_in_folder.hpp"
#include "author/edit/toml_places.hpp"
#include "base/nearest.hpp"
#include "base/text_file.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/author/turn.hpp"
#include "tidewater/error.hpp"

namespace tidewater::desk {
namespace {

constexpr std::size_t most_undone = 1000;
constexpr std::chrono::milliseconds look_at_file_every{500};

const std::string* name_in(const BookPath& path, std::size_t step) {
  return step < path.size() ? std::get_if<std::string>(&path[step]) : nullptr;
}

bool is_of(const BookPath& path, std::string_view section) {
  const std::string* its = name_in(path, 0);
  return its != nullptr && *its == section;
}

const BookGroup* group_in(const Book& book, const std::string& name) {
  const auto found = std::find_if(book.groups.begin(), book.groups.end(), [&](const BookGroup& group) { return group.name == name; });
  return found == book.groups.end() ? nullptr : &*found;
}

bool is_one_of(const BookPath& path, const std::vector<std::string>& paths) {
  return paths.empty() || std::find(paths.begin(), paths.end(), to_text(path)) != paths.end();
}

/// Returns an error text if the book lacks the group, sound or other thing that the path leads into: a turn must not create one.
std::string what_is_missing(std::string_view text, const BookPath& path) {
  const std::string *section = name_in(path, 0), *name = name_in(path, 1);
  if (section == nullptr || name == nullptr || *section == "book" || (*section == "groups" && *name == "master")) return {};
  const toml::table root = parsed_toml(text);
  const toml::table* things = root.get_as<toml::table>(*section);
  if (things != nullptr && things->contains(*name)) return {};
  std::vector<std::string_view> known;
  if (things != nullptr)
    for (const auto& [key, ignored] : *things) known.push_back(key.str());
  return fmt::format("the book has no '{}' in [{}]{}", *name, *section, did_you_mean(*name, known));
}

bool needs_whole_book(const BookPath& path) { return is_of(path, "events") || is_of(path, "banks"); }

std::string message_of(Outcome outcome) { return fmt::format("the game refuses it: {}", to_text(outcome)); }

}  // namespace

TurnedBook::TurnedBook(SoundManager& manager, std::string path, std::function<void()> changed, std::function<void(const std::string&)> told)
    : manager_(manager), path_(std::move(path)), changed_(std::move(changed)), told_(std::move(told)) {
  read_file();
  thread_ = std::thread([this] { watch(); });
}

TurnedBook::~TurnedBook() {
  {
    const std::lock_guard lock(wake_mutex_);
    ends_ = true;
  }
  wake_.notify_all();
  thread_.join();
}

/// Throws Error, and nothing changes, if the file cannot be read.
void TurnedBook::read_file() {
  std::error_code error;
  const auto written = std::filesystem::last_write_time(path_, error);
  std::string text = read_text_file(path_, "a book");
  std::optional<Excerpts> excerpts;
  std::string trouble;
  try {
    excerpts.emplace(text);
  } catch (const Error& wrong) {
    trouble = fmt::format("{}: {}", path_, wrong.what());
  }
  const std::lock_guard lock(mutex_);
  written_ = written;
  trouble_ = std::move(trouble);
  if (!excerpts && excerpts_) return;  // the last text that could be read stays
  text_ = std::move(text);
  excerpts_ = std::move(excerpts);
  excerpts_turned_.clear();
  list_folder();
}

/// The caller holds the lock.
std::string TurnedBook::excerpt(const std::vector<std::string>& sounds) const {
  if (const auto known = excerpts_turned_.find(sounds); known != excerpts_turned_.end()) return known->second;
  std::string its = excerpts_ ? excerpts_->of(sounds) : text_;
  std::vector<BookEdit> edits;
  for (const Edit& edit : edits_) edits.push_back(edit.edit);
  // An edit of a sound that is not in the excerpt must not make one of that name.
  const std::set<std::string> there = excerpts_ ? excerpts_->with_models(sounds) : std::set<std::string>();
  std::erase_if(edits, [&](const BookEdit& edit) {
    const std::string* sound = is_of(edit.path, "sounds") ? name_in(edit.path, 1) : nullptr;
    return needs_whole_book(edit.path) || (sound != nullptr && !there.contains(*sound));
  });
  if (!edits.empty()) its = edited(its, edits).text;
  return excerpts_turned_[sounds] = its;
}

std::optional<std::string> TurnedBook::value(const BookPath& path) const {
  const std::lock_guard lock(mutex_);
  return present_value(path);
}

/// The sounds of the excerpt that an edit of this path is made in.
std::vector<std::string> TurnedBook::sounds_around(const BookPath& path) {
  const std::string* sound = is_of(path, "sounds") ? name_in(path, 1) : nullptr;
  return sound == nullptr ? std::vector<std::string>{} : std::vector<std::string>{*sound};
}

/// The text that an edit of this path is made in. The caller holds the lock.
std::string TurnedBook::text_around(const BookPath& path) const {
  return needs_whole_book(path) ? turned_text() : excerpt(sounds_around(path));
}

/// The caller holds the lock.
std::optional<std::string> TurnedBook::present_value(const BookPath& path) const { return value_text(text_around(path), path); }

/// The caller holds the lock.
std::string TurnedBook::turned_text() const {
  std::vector<BookEdit> edits;
  for (const Edit& edit : edits_) edits.push_back(edit.edit);
  return edits.empty() ? text_ : edited(text_, edits).text;
}

ReadBook TurnedBook::read() const {
  const std::lock_guard lock(mutex_);
  if (!read_) read_ = parsed(turned_text());
  return *read_;
}

EditedBook TurnedBook::edited(std::string_view text, std::span<const BookEdit> edits) const {
  return edit_book_in(text, path_, edits, listing_ ? &listing_->folder : nullptr);
}

ReadBook TurnedBook::parsed(std::string_view text) const { return parse_book_in(text, path_, listing_ ? &listing_->folder : nullptr); }

/// The caller holds the lock.
void TurnedBook::list_folder() {
  namespace fs = std::filesystem;
  listing_.reset();
  const std::string folder = parsed(excerpt({})).book.clips_folder;
  Listing listing{ClipFolder(folder), {}};
  std::error_code error;
  const auto note = [&](const fs::path& its) { listing.folders.emplace_back(its.string(), fs::last_write_time(its, error)); };
  if (!folder.empty()) note(folder);
  for (fs::recursive_directory_iterator it(folder, error), end; !error && it != end; it.increment(error))
    if (it->is_directory(error)) note(it->path());
  listing_ = std::move(listing);
  read_.reset();
  excerpts_turned_.clear();
}

bool TurnedBook::folder_changed() const {
  std::error_code error;
  return listing_ && std::any_of(listing_->folders.begin(), listing_->folders.end(),
                                 [&](const auto& its) { return std::filesystem::last_write_time(its.first, error) != its.second; });
}

ReadBook TurnedBook::read_sound(const std::string& name, bool turned) const {
  const std::lock_guard lock(mutex_);
  return parsed(turned ? excerpt({name}) : excerpts_ ? excerpts_->of({name}) : text_);
}

std::vector<TurnedBook::Edit> TurnedBook::edits() const {
  const std::lock_guard lock(mutex_);
  return edits_;
}

std::string TurnedBook::trouble() const {
  const std::lock_guard lock(mutex_);
  return trouble_;
}

/// Notes the edit if the book stays good with it, and lets it be heard. The caller holds the lock.
TurnOutcome TurnedBook::set(const BookPath& path, const std::optional<std::string>& value) {
  const std::string before = text_around(path);
  if (std::string missing = what_is_missing(before, path); !missing.empty()) return {std::move(missing), {}, false};
  const BookEdit edit{path, value, value_text(before, path)};
  EditedBook made = edited(before, std::span(&edit, 1));
  if (!made.outcomes.front().problem.empty()) return {made.outcomes.front().problem, {}, false};
  read_.reset();
  excerpts_turned_.clear();
  const auto known = std::find_if(edits_.begin(), edits_.end(), [&](const Edit& its) { return its.edit.path == path; });
  if (known == edits_.end())
    edits_.push_back({{path, value, edit.read}, 0});
  else if (known->edit.read == value)
    edits_.erase(known);
  else
    known->edit.value = value;
  if (!needs_whole_book(path)) excerpts_turned_[sounds_around(path)] = std::move(made.text);
  return hear(path);
}

TurnOutcome TurnedBook::hear(const BookPath& path) {
  TurnOutcome outcome;
  const std::string *name = name_in(path, 1), *key = name_in(path, 2);
  const std::vector<Bank> banks = manager_.loaded_banks();
  if (banks.empty() || name == nullptr) return outcome;
  if (is_of(path, "groups") && key != nullptr && path.size() == 3) {
    const std::string problem = hear_group(*name, *key);
    if (problem.empty()) return outcome;
  } else if (is_of(path, "sounds") || is_of(path, "tracks")) {
    std::vector<std::string> sounds{*name};
    if (is_of(path, "sounds") && excerpts_)
      for (std::string& heir : excerpts_->heirs_of(*name)) sounds.push_back(std::move(heir));
    const ReadBook now = parsed(excerpt(sounds));
    bool all = true;
    for (const Bank& bank : banks)
      for (const std::string& sound : sounds) {
        if (!own_design(bank, sound).value) continue;  // not in this bank
        const Read<std::string> design = turned_design(bank, now.book, sound);
        all = all && design.value.has_value();
        if (!design.value) continue;
        const Outcome turned = manager_.turn(bank.name(), sound, *design.value);
        if (turned == Outcome::needs_reload)
          all = false;
        else if (turned != Outcome::done)
          outcome.problem = message_of(turned);
      }
    outcome.also.assign(sounds.begin() + 1, sounds.end());
    if (all) return outcome;
  }
  outcome.reloads = true;
  reload();
  return outcome;
}

/// Returns an empty text if the group has the book's value now.
std::string TurnedBook::hear_group(const std::string& group, const std::string& key) {
  const ReadBook now = parsed(excerpt({}));
  const BookGroup* its = group_in(now.book, group);
  Outcome outcome = Outcome::needs_reload;
  if (its == nullptr) return message_of(outcome);
  if (key == "gain") outcome = manager_.set_gain(group, its->gain);
  if (key == "mute") outcome = manager_.set_mute(group, its->muted);
  if (key == "low-pass") outcome = manager_.set_low_pass(group, its->low_pass);
  if (key == "high-pass") outcome = manager_.set_high_pass(group, its->high_pass);
  return outcome == Outcome::done ? std::string() : message_of(outcome);
}

TurnOutcome TurnedBook::turn(const BookPath& path, const std::optional<std::string>& value, std::uint64_t drag) {
  TurnOutcome outcome;
  {
    const std::lock_guard lock(mutex_);
    const std::optional<std::string> before = present_value(path);
    outcome = set(path, value);
    const bool goes_on = drag != 0 && !history_.empty() && history_.back().drag == drag && history_.back().path == path;
    if (outcome.problem.empty() && !goes_on) history_.push_back({path, before, drag});
    if (history_.size() > most_undone) history_.erase(history_.begin());
  }
  changed_();
  return outcome;
}

TurnOutcome TurnedBook::undo() {
  TurnOutcome outcome{"there is nothing to undo", {}, false};
  {
    const std::lock_guard lock(mutex_);
    if (history_.empty()) return outcome;
    const Change last = history_.back();
    outcome = set(last.path, last.before);
    history_.pop_back();
  }
  changed_();
  return outcome;
}

TurnOutcome TurnedBook::give_back(const std::vector<std::string>& paths) {
  TurnOutcome all;
  {
    const std::lock_guard lock(mutex_);
    const std::vector<Edit> edits = edits_;
    for (const Edit& its : edits) {
      if (!is_one_of(its.edit.path, paths)) continue;
      const TurnOutcome outcome = set(its.edit.path, its.edit.read);
      if (!outcome.problem.empty()) all.problem = outcome.problem;
      all.reloads = all.reloads || outcome.reloads;
      std::erase_if(history_, [&](const Change& change) { return change.path == its.edit.path; });
    }
  }
  changed_();
  return all;
}

TurnedBook::Kept TurnedBook::keep(const std::vector<std::string>& paths) {
  Kept kept;
  {
    const std::lock_guard lock(mutex_);
    std::vector<BookEdit> chosen;
    for (const Edit& its : edits_)
      if (is_one_of(its.edit.path, paths)) chosen.push_back(its.edit);
    const EditedBook edited = edit_book_file(path_, chosen);
    for (std::size_t i = 0; i < chosen.size(); ++i) {
      if (!edited.outcomes[i].problem.empty()) {
        kept.problems.push_back(edited.outcomes[i].problem);
        continue;
      }
      ++kept.count;
      std::erase_if(edits_, [&](const Edit& its) { return its.edit.path == chosen[i].path; });
      excerpts_turned_.clear();
      std::erase_if(history_, [&](const Change& change) { return change.path == chosen[i].path; });
    }
  }
  if (kept.count > 0) {
    read_file();
    ++version_;
    reload();
  }
  changed_();
  return kept;
}

void TurnedBook::reload() {
  {
    const std::lock_guard lock(wake_mutex_);
    reload_wanted_ = true;
  }
  wake_.notify_all();
}

/// Loop of the desk's own thread: looks whether the file or the folder has changed, and compiles.
void TurnedBook::watch() {
  for (;;) {
    bool reloads = false;
    {
      std::unique_lock lock(wake_mutex_);
      wake_.wait_for(lock, look_at_file_every, [&] { return ends_ || reload_wanted_; });
      if (ends_) return;
      reloads = std::exchange(reload_wanted_, false);
    }
    std::error_code error;
    const auto written = std::filesystem::last_write_time(path_, error);
    std::string trouble;
    bool fresh = false, listed = false;
    {
      const std::lock_guard lock(mutex_);
      if (error)
        trouble = fmt::format("{}: the file is gone; what is turned stays here until it is back", path_);
      else
        fresh = written != written_;
      if (!fresh && !error && folder_changed()) {
        list_folder();
        ++version_;
        trouble.clear();
        listed = true;
      }
      if (!fresh && trouble != trouble_ && (error || trouble_.ends_with("until it is back"))) {
        trouble_ = trouble;
        fresh = !error;
      } else {
        trouble.clear();
      }
    }
    if (!trouble.empty()) told_(trouble);
    if (!trouble.empty() || listed) changed_();
    if (fresh) {
      try {
        read_file();
        ++version_;
        reloads = true;
        if (const std::string wrong = this->trouble(); !wrong.empty()) told_(wrong), reloads = false;
      } catch (const Error& wrong) {
        told_(wrong.what());
      }
      changed_();
    }
    if (reloads) compile_and_reload();
  }
}

void TurnedBook::compile_and_reload() {
  const ReadBook now = read();
  if (!now.problems.empty()) return told_("not reloaded: " + to_text(now.problems.front()));
  try {
    const std::vector<Bank> loaded = manager_.loaded_banks();
    for (const Bank& bank : compiler_.compile_banks(now.book)) {
      const bool is_loaded = std::any_of(loaded.begin(), loaded.end(), [&](const Bank& its) { return its.name() == bank.name(); });
      if (!is_loaded) continue;
      if (const std::string problem = manager_.try_reload(bank); !problem.empty()) told_("not reloaded: " + problem);
    }
  } catch (const Error& error) {
    told_(std::string("not reloaded: ") + error.what());
  }
  changed_();
}

}  // namespace tidewater::desk
