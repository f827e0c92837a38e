#include "author/pack/patch.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <memory>
#include <set>
#include <string_view>
#include <unordered_map>

#include "author/book/read_banks.hpp"
#include "author/compile/content.hpp"
#include "author/pack/borrow.hpp"
#include "author/pack/names.hpp"
#include "author/pack/parts.hpp"
#include "bank/agree.hpp"
#include "bank/bank_data.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/author/unpack.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

/// Which sounds and events of a bank a patch has: those that are not as they were; all events about one of its sounds, and all sounds of
/// one of its events. So whoever starts a sound of the patch, and whoever stops it, is in the patch.
struct Changed {
  std::vector<bool> sounds, events;

  Changed(const BankData& base, const BankData& now) : sounds(now.sounds.size()), events(now.events.size()) {
    const Differences differ(base, now);
    for (std::size_t s = 0; s < sounds.size(); ++s) sounds[s] = differ.sound(now.sounds[s]);
    for (std::size_t e = 0; e < events.size(); ++e) events[e] = differ.event(now.events[e]);
    for (bool more = true; more;) {
      more = false;
      for (std::size_t e = 0; e < events.size(); ++e) {
        const auto& responses = now.events[e].responses;
        const bool about = events[e] || std::any_of(responses.begin(), responses.end(),
                                                    [&](const BankResponse& r) { return r.acts_on_sound() && sounds[r.target]; });
        if (!about) continue;
        events[e] = true;
        for (const BankResponse& response : responses)
          if (response.acts_on_sound()) more = more || !sounds[response.target], sounds[response.target] = true;
      }
    }
  }
  bool any() const {
    return std::find(sounds.begin(), sounds.end(), true) != sounds.end() || std::find(events.begin(), events.end(), true) != events.end();
  }
};

/// The bank with what has changed alone, and the clips that it needs.
std::shared_ptr<BankData> patch_for(const BankData& base, const BankData& now, const Changed& changed) {
  auto patch = std::make_shared<BankData>(now);
  patch->sounds.clear();
  patch->events.clear();
  patch->clips.clear();
  std::unordered_map<std::uint32_t, std::uint32_t> clips, sounds;
  for (std::uint32_t s = 0; s < now.sounds.size(); ++s) {
    if (!changed.sounds[s]) continue;
    sounds.emplace(s, static_cast<std::uint32_t>(patch->sounds.size()));
    BankSound& sound = patch->sounds.emplace_back(now.sounds[s]);
    for (BankLayer& layer : sound.layers)
      for (BankChoice& choice : layer.choices)
        for (BankClipUse& use : choice.clips) {
          const auto [its, fresh] = clips.try_emplace(use.clip, static_cast<std::uint32_t>(patch->clips.size()));
          if (fresh) patch->clips.push_back(now.clips[use.clip]);
          use.clip = its->second;
        }
  }
  for (std::uint32_t e = 0; e < now.events.size(); ++e) {
    if (!changed.events[e]) continue;
    BankEvent& event = patch->events.emplace_back(now.events[e]);
    for (BankResponse& response : event.responses)
      if (response.acts_on_sound()) response.target = sounds.at(response.target);
  }
  borrow(*patch, base, true);
  return patch;
}

/// Those that a bank has clips in, from its folder.
std::vector<Bank> lenders_beside(const std::string& file, const BankData& bank) {
  std::vector<Bank> lenders;
  for (const BankBase& base : bank.bases) {
    const fs::path folder = fs::path(file).parent_path();
    const std::string spoken = (folder / fmt::format("{}.{}.tidebank", base.name, bank.language)).string();
    Bank lender = open_bank_with_names(fs::exists(spoken) ? spoken : (folder / (base.name + ".tidebank")).string());
    if (lender.content() != base.content)
      throw Error(fmt::format("{}: it has clips in a bank '{}' that is not the one beside it; put that one there", file, base.name));
    lenders.push_back(std::move(lender));
  }
  return lenders;
}

Book part_called(const Book& book, std::string_view name, const std::string& file) {
  std::vector<std::string> names;
  for (Book& part : parts_of(book)) {
    if (part.name == name) return part;
    names.push_back(part.name);
  }
  throw Error(fmt::format("{}: it has no bank '{}', which {} is; it has {}", book.file, name, file, fmt::join(names, ", ")));
}

/// A patch is written into the folder of its book's banks. With the name of one of these it would overwrite that bank's file.
void check_name(const Book& book, const std::string& name) {
  if (!can_name_a_file(name))
    throw Error(fmt::format("a patch cannot be called '{}': give it a name without slashes that begins with no dot", name));
  for (const Book& part : parts_of(book))
    if (part.name == name)
      throw Error(
          fmt::format("a patch cannot be called '{}': {} has a bank of that name, and the patch would lie in its file; give it another",
                      name, book.file));
}

}  // namespace

std::vector<PackedBank> pack_patches(const Book& book, const std::string& folder, const PackOptions& options) {
  if (!options.patch_name.empty() && options.patch_of.size() > 1)
    throw Error("one name for several patches: pack them one by one, or let each be called as its bank");
  std::error_code trouble;
  fs::create_directories(folder, trouble);
  if (trouble) throw Error(folder + ": the folder cannot be made: " + trouble.message());
  std::vector<PackedBank> packed;
  for (const std::string& file : options.patch_of) {
    const Bank base = open_bank_with_names(file);
    const bool names_known = fs::exists(fs::path(file).replace_extension(".names"));
    const BankData& was = data_of(base);
    if (base.is_patch()) throw Error(fmt::format("{}: it is a patch itself, of '{}': make one of that bank", file, was.root()));
    const auto contradicts = [&](const std::string& option, const std::string& given, const std::string& its) {
      if (!given.empty() && given != its)
        throw Error(
            fmt::format("{}: the patch is for {} '{}', as this bank is, and not for '{}': leave the option out, or name another bank", file,
                        option, its, given));
    };
    contradicts("target", options.target, was.target);
    contradicts("language", options.language, was.language);
    if (options.rate != Hertz{} && options.rate != was.rate)
      contradicts("rate", fmt::format("{:.0f} Hz", options.rate.value), fmt::format("{:.0f} Hz", was.rate.value));
    const Book part = part_called(book, base.name(), file);
    PackedBank its;
    its.name = options.patch_name.empty() ? was.name + "-patch" : options.patch_name;
    check_name(book, its.name);
    its.language = was.language;
    its.file = (fs::path(folder) / fmt::format("{}{}{}.tidebank", its.name, was.language.empty() ? "" : ".", was.language)).string();
    CompileOptions how{was.rate, was.target, was.language};
    if (options.progress) how.progress = [&](std::size_t done, std::size_t all) { options.progress(its.file, done, all); };
    const Bank compiled = compile(part, how);
    const Bank now = names_known ? compiled : without_names(compiled, book, was.target);
    const Changed changed(was, data_of(now));
    if (!changed.any()) continue;
    const std::shared_ptr<BankData> patch = patch_for(was, data_of(now), changed);
    for (const Bank& lender : lenders_beside(file, was)) borrow(*patch, data_of(lender), false);
    patch->name = its.name;
    patch->priority = options.priority;
    patch->content = {content_of_patch(*patch)};
    its.changed = write_as_target_says(bank_of(patch), book, was.target, its.file);
    its.bytes = fs::file_size(its.file);
    its.events = patch->events.size();
    its.sounds = patch->sounds.size();
    its.clips = static_cast<std::size_t>(
        std::count_if(patch->clips.begin(), patch->clips.end(), [](const BankClip& clip) { return clip.base == 0; }));
    its.made_of = {book.file, file};
    packed.push_back(std::move(its));
  }
  return packed;
}

}  // namespace tidewater
