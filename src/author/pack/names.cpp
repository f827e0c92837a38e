#include "author/pack/names.hpp"

#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <string_view>

#include "author/clips/ways.hpp"
#include "bank/bank_data.hpp"
#include "base/text_file.hpp"
#include "base/whole_file.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/author/unpack.hpp"
#include "tidewater/error.hpp"
#include "tidewater/name.hpp"

namespace tidewater {
namespace {

/// Calls `change(name)` for each name in a bank but its own; of a text that is looked for by its hash, this follows.
template <class Change>
std::shared_ptr<BankData> renamed(const Bank& bank, Change change) {
  auto data = std::make_shared<BankData>(data_of(bank));
  const auto text = [&](HashedText& its) {
    change(its.text);
    its = HashedText(its.text);
  };
  for (BankGroup& group : data->groups) {
    change(group.name);
    for (DuckDesign& duck : group.ducks) change(duck.key);
  }
  for (BankMood& mood : data->moods) {
    change(mood.name);
    for (MoodGroupDesign& its : mood.groups) change(its.group);
  }
  for (BankScope& scope : data->scopes) change(scope.mood);
  for (BankClip& clip : data->clips) change(clip.name);
  for (BankTrait& trait : data->traits) {
    change(trait.name);
    for (HashedText& value : trait.values) text(value);
  }
  for (BankEvent& event : data->events) {
    change(event.name);
    for (BankResponse& response : event.responses) {
      const TargetKind kind = row_of(response.verb).target;
      if (kind == TargetKind::group || kind == TargetKind::event || kind == TargetKind::stand || kind == TargetKind::mood)
        text(response.name);
      for (BankCondition& condition : response.when) {
        text(condition.trait);
        text(condition.value);
      }
    }
  }
  for (BankSound& sound : data->sounds) {
    change(sound.name);
    for (BankTrack& track : sound.track) {
      change(track.stand);
      change(track.ending);
      for (PartDesign& part : track.parts) change(part.name);
      for (HashedText& its : track.list) text(its);
      for (ChangeDesign& its : track.changes) change(its.from), change(its.bridge);
    }
    for (BankLayer& layer : sound.layers) {
      change(layer.name);
      for (HashedText& trait : layer.by) text(trait);
      for (BankChoice& choice : layer.choices)
        for (HashedText& value : choice.values) text(value);
    }
  }
  return data;
}

/// Puts hashes in place of names, and remembers these.
class Stripper {
 public:
  void strip(std::string& name) {
    if (name.empty() || name == "master" || name == any_value.text || is_stripped(name)) return;
    const StrippedName what_is_left{Name(name)};
    std::string left{std::string_view(what_is_left)};
    const auto [known, fresh] = names_.try_emplace(left, name);
    if (!fresh && known->second != name)
      throw Error(fmt::format("'{}' and '{}' would be one without their names: call one of them otherwise, or keep the names",
                              known->second, name));
    name = std::move(left);
  }
  const std::map<std::string, std::string>& names() const { return names_; }

 private:
  std::map<std::string, std::string> names_;
};

bool strips(const Book& book, const std::string& target) {
  const BookTarget* its = target_called(book, target);
  return its != nullptr && its->names == BookTarget::Names::stripped;
}

std::shared_ptr<BankData> stripped(const Bank& bank, Stripper& stripper) {
  return renamed(bank, [&](std::string& name) { stripper.strip(name); });
}

}  // namespace

Bank without_names(const Bank& bank, const Book& book, const std::string& target) {
  Stripper stripper;
  return strips(book, target) ? bank_of(stripped(bank, stripper)) : bank;
}

std::map<std::string, std::string> read_names(const std::string& path) {
  if (const std::string why = why_no_text(path, "a file of names"); !why.empty())
    throw Error(path + ": " + why + "; packing for a target with names = \"stripped\" writes it beside the bank");
  std::ifstream in(path, std::ios::binary);
  constexpr std::size_t left = 17;
  std::map<std::string, std::string> names;
  for (std::string line; std::getline(in, line);) {
    if (line.size() <= left + 1 || !is_stripped(std::string_view(line).substr(0, left)))
      throw Error(path + ": is not a file of names; each line of one is what is left of a name, and the name");
    names[line.substr(0, left)] = line.substr(left + 1);
  }
  return names;
}

Bank with_names(const Bank& bank, const std::map<std::string, std::string>& names) {
  return bank_of(renamed(bank, [&](std::string& name) {
    if (const auto known = names.find(name); known != names.end()) name = known->second;
  }));
}

bool write_as_target_says(const Bank& bank, const Book& book, const std::string& target, const std::string& path) {
  if (!strips(book, target)) return write_bank(bank, path);
  Stripper stripper;
  const bool changed = write_bank(bank_of(stripped(bank, stripper)), path);
  const std::string names = std::filesystem::path(path).replace_extension(".names").string();
  if (!changed && std::filesystem::exists(names)) return false;
  WholeFile out(names);
  for (const auto& [left, name] : stripper.names()) out.write(left + " " + name + "\n");
  out.commit();
  return changed;
}

}  // namespace tidewater
