#include "play/hand_on.hpp"

#include <utility>

#include "dsp/kernels.hpp"
#include "play/control.hpp"
#include "play/options.hpp"

namespace tidewater {

/// What to say of a name that nobody knows is looked for once: games ask for the same again and again.
namespace {

std::vector<std::string_view> names_of_tracks(const Catalogue& catalogue) {
  std::vector<std::string_view> names;
  for (const LiveBank* bank : catalogue.banks())
    for (const LiveSound* track : bank->tracks) names.emplace_back(bank->name_of(*track));
  return names;
}

}  // namespace

std::string HandOn::words_of(const Reason& why, const KnownNames& known) {
  const char kind = why.code == Reason::Code::unknown_event   ? 'e'
                    : why.code == Reason::Code::unknown_group ? 'g'
                    : why.code == Reason::Code::unknown_gauge ? 'n'
                    : why.code == Reason::Code::unknown_scope ? 's'
                    : why.code == Reason::Code::unknown_mood  ? 'm'
                                                              : '\0';
  if (kind == '\0') return words(why, known);
  constexpr std::size_t most = 1024;  // a game that makes names up must not fill the memory, nor look for each
  const std::string key = kind + std::string(why.name);
  if (const auto found = suggested_.find(key); found != suggested_.end()) return found->second;
  if (suggested_.size() == most) return "nothing has this name, like many that were asked for before it";
  return suggested_.emplace(key, words(why, known)).first->second;
}

std::uint64_t HandOn::add(Control& control, JournalSink sink) {
  // The memory is allocated before the lock is taken.
  constexpr std::uint32_t lines = 16384;
  Notebook here(lines), there(lines);
  const std::lock_guard in_order(mutex_);
  const std::lock_guard lock(control.mutex);
  if (!control.noting.notebook.open()) {
    std::swap(control.noting.notebook, here);
    std::swap(notes_, there);
  }
  added_.push_back({++last_added_, std::move(sink)});
  return last_added_;
}

void HandOn::remove(Control& control, std::uint64_t number) {
  Notebook here(0), there(0);
  const std::lock_guard in_order(mutex_);
  std::erase_if(added_, [&](const Added& added) { return added.number == number; });
  if (!added_.empty() || control.options.journal) return;
  const std::lock_guard lock(control.mutex);
  std::swap(control.noting.notebook, here);
  std::swap(notes_, there);
  handed_ = 0;
}

void HandOn::give(const ManagerOptions& options, const JournalEntry& entry) {
  for (const Added& added : added_) added.sink(entry);
  if (options.journal) options.journal(entry);
}

void HandOn::hand_on_notes(Control& control) {
  const ManagerOptions& options = control.options;
  noted::Head head;
  copy_deciding_options(head, options);
  head.recorded = true;
  head.machine = kernels::target_name();
  for (Added& added : added_)
    if (!std::exchange(added.head_told, true)) added.sink({{}, head});
  if (!head_told_.exchange(true) && options.journal) options.journal({{}, head});
  std::shared_ptr<const Catalogue> catalogue;
  if (handed_ == notes_.notes().size()) {
    handed_ = 0;
    notes_.clear();
    const std::lock_guard lock(control.mutex);
    std::swap(control.noting.notebook, notes_);
    take_retired(control);
    catalogue = control.library.loaded.catalogue();
    for (const auto& [count, code] :
         {std::pair(notes_.take_refused(), Reason::Code::no_room), {notes_.take_lost(), Reason::Code::lines_lost}})
      if (count > 0) control.noting.tell({.code = code, .number = static_cast<double>(count)});
  } else {
    const std::lock_guard lock(control.mutex);  // the rest of what a sink that threw had left
    catalogue = control.library.loaded.catalogue();
  }
  if (suggested_by_ != catalogue) suggested_.clear();
  suggested_by_ = catalogue;
  const auto names_under_lock = [&](const Numbers& numbers) {
    const std::lock_guard lock(control.mutex);
    return numbers.all();
  };
  const std::vector<std::string_view> gauge_names = names_under_lock(control.driving.gauges.names());
  const KnownNames known{!catalogue->banks().empty(),
                         [&] { return catalogue->names(); },
                         [&] { return names_under_lock(control.groups.names()); },
                         [&] { return std::vector<std::string_view>(gauge_names.begin(), gauge_names.end()); },
                         [&] { return names_under_lock(control.scopes.names()); },
                         [&] { return names_of_tracks(*catalogue); },
                         [&] { return names_under_lock(control.groups.moods().names()); },
                         [&](std::string_view trait) { return catalogue->values_of(trait); },
                         [&](std::string_view sound) {
                           for (const LiveBank* bank : catalogue->banks())
                             for (const BankEvent& event : bank->data->events)
                               for (const BankResponse& response : event.responses)
                                 if (response.starts() && bank->data->sounds[response.target].name == sound) return event.name;
                           return std::string();
                         }};
  const auto say = [&](const Reason& why) { return words_of(why, known); };
  while (handed_ < notes_.notes().size()) {
    const Note& note = notes_.notes()[handed_++];
    if (const auto sums = sums_.take(note)) {
      if (take_sums_) take_sums_(*sums);
      give(options, {{sums->second * static_cast<std::int64_t>(options.rate.value)}, *sums});
    }
    give(options, entry_of(note, notes_.kept(), gauge_names, say));
  }
}

/// Takes the designs that are to be destroyed. The caller holds the control lock and has just taken the notes that may refer to them.
void HandOn::take_retired(Control& control) {
  for (auto& its : control.library.retired) retired_.push_back(std::move(its));
  control.library.retired.clear();
}

void finish_update(Control& control, Seconds elapsed, std::unique_lock<std::mutex> updating) {
  std::vector<ClipData> dropped;  // destroyed without the lock
  std::list<LiveBank> silent = control.end_update(elapsed, dropped);
  if (updating) updating.unlock();
  for (const LiveBank& bank : silent) control.library.reader.clips.release(bank.clips.away());
  control.handing.run(control, std::move(silent));
}

void HandOn::run(Control& control, std::list<LiveBank>&& silent) {
  if (by_.load() == std::this_thread::get_id()) {  // asked by the sink
    silent_banks_.splice(silent_banks_.end(), silent);
    return;
  }
  const std::lock_guard in_order(mutex_);
  silent_banks_.splice(silent_banks_.end(), silent);
  struct Marked {
    explicit Marked(std::atomic<std::thread::id>& its) : mark(its) { mark = std::this_thread::get_id(); }
    ~Marked() { mark = std::thread::id(); }
    Marked(const Marked&) = delete;
    Marked& operator=(const Marked&) = delete;
    std::atomic<std::thread::id>& mark;
  } marked(by_);
  if (control.options.journal || !added_.empty()) {
    hand_on_notes(control);
  } else {
    const std::lock_guard lock(control.mutex);
    take_retired(control);
  }
  silent_banks_.clear();
  retired_.clear();
}

}  // namespace tidewater
