/// A game that raises an event by the names that `tidewater_names` has written.

#include "names.hpp"
#include "tidewater/manager.hpp"

int main() {
  tidewater::SoundManager manager({.offline = true});
  return manager.raise(harbour::event::ferry_docked).outcome == tidewater::Outcome::unknown_event ? 0 : 1;  // no bank is loaded
}
