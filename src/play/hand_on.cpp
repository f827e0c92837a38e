#include "play/hand_on.hpp"

#include "play/manager_state.hpp"

namespace tidewater {
namespace {

/// What to say of a name that nobody knows is looked for once: games ask for the same again and again.
std::string words_of(ManagerState& state, const Reason& why, const KnownNames& known) {
  if (why.code != Reason::Code::unknown_event && why.code != Reason::Code::unknown_group) return words(why, known);
  constexpr std::size_t most = 1024;  // a game that makes names up must not fill the memory, nor look for each
  const std::string key = (why.code == Reason::Code::unknown_group ? "g" : "e") + std::string(why.name);
  if (const auto found = state.suggested.find(key); found != state.suggested.end()) return found->second;
  if (state.suggested.size() == most) return "nothing has this name, like many that were asked for before it";
  return state.suggested.emplace(key, words(why, known)).first->second;
}

void hand_on_notes(ManagerState& state) {
  std::shared_ptr<const Catalogue> catalogue;
  if (state.handed == state.handed_on.notes().size()) {
    state.handed = 0;
    state.handed_on.clear();
    const std::lock_guard lock(state.mutex);
    std::swap(state.notebook, state.handed_on);
    catalogue = state.catalogue;
    for (const auto& [count, code] : {std::pair(std::exchange(state.refused_for_room, 0), Reason::Code::no_room),
                                      {state.handed_on.take_lost(), Reason::Code::lines_lost}})
      if (count > 0) state.tell({.code = code, .number = static_cast<double>(count)});
  } else {
    const std::lock_guard lock(state.mutex);  // the rest of what a sink that threw had left
    catalogue = state.catalogue;
  }
  if (state.suggested_by != catalogue) state.suggested.clear();
  state.suggested_by = catalogue;
  const KnownNames known{!catalogue->banks().empty(), [&] { return catalogue->names(); },
                         [&] {
                           const std::lock_guard lock(state.mutex);
                           return state.groups.names();
                         }};
  const auto say = [&](const Reason& why) { return words_of(state, why, known); };
  const auto& notes = state.handed_on.notes();
  while (state.handed < notes.size()) state.options.journal(entry_of(notes[state.handed++], say));
}

}  // namespace

void hand_on(ManagerState& state, std::list<LiveBank>&& silent) {
  const std::thread::id self = std::this_thread::get_id();
  if (state.handing_on.load() == self) {  // asked by the sink
    state.silent_banks.splice(state.silent_banks.end(), silent);
    return;
  }
  const std::lock_guard in_order(state.sink_mutex);
  state.silent_banks.splice(state.silent_banks.end(), silent);
  struct Marked {
    explicit Marked(std::atomic<std::thread::id>& its) : mark(its) { mark = std::this_thread::get_id(); }
    ~Marked() { mark = std::thread::id(); }
    Marked(const Marked&) = delete;
    Marked& operator=(const Marked&) = delete;
    std::atomic<std::thread::id>& mark;
  } marked(state.handing_on);
  if (state.options.journal) hand_on_notes(state);
  state.silent_banks.clear();
}

}  // namespace tidewater
