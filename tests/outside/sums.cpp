// Plays a journal with banks, and prints the sums of all decisions: on any kind of machine they are the same.
#include <tidewater/journal_file.hpp>
#include <tidewater/open_bank.hpp>
#include <tidewater/replay.hpp>

#include <cstdio>
#include <vector>

int main(int count, char** arguments) {
  using namespace tidewater;
  if (count < 3) {
    std::puts("sums JOURNAL BANK...");
    return 2;
  }
  const JournalScript script = read_journal(arguments[1]);
  std::vector<Bank> banks;
  for (int i = 2; i < count; ++i) banks.push_back(open_bank(arguments[i]));
  ManagerOptions options = options_of(script);
  options.layout = Layout::stereo;
  options.journal = [](const JournalEntry& entry) {
    if (entry.as<noted::Sums>() != nullptr) std::puts(to_json(entry).c_str());
  };
  SoundManager manager(options);
  replay(script, banks, manager, [](std::span<const float>) {});
}
