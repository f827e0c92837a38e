#pragma once
#include <cstdint>
#include <string>
#include <vector>

#include "bank/bank_data.hpp"
#include "tidewater/name.hpp"

namespace tidewater {

/// The control side's view of the volume groups of all banks: one tree under the master.
class Groups {
 public:
  struct Group {
    std::string name;
    std::uint64_t hash = 0;
    std::uint32_t parent = 0;
    Decibels gain;
    bool muted = false;
    double heard = 1;  ///< amplitude of everything from here up to the master

    double own_amplitude() const { return muted ? 0.0 : amplitude(gain); }
  };

  static constexpr std::uint32_t none = ~0U;

  Groups();
  std::uint32_t find(Name name) const;
  /// The group of this name, made where it is new. A parent is added before its children.
  std::uint32_t add(const BankGroup& group, std::uint32_t parent);
  std::uint32_t size() const { return static_cast<std::uint32_t>(groups_.size()); }

  void set_gain(std::uint32_t index, Decibels gain);
  void set_mute(std::uint32_t index, bool mute);
  const Group& operator[](std::uint32_t index) const { return groups_[index]; }

  /// Why nothing of the group is heard, in words; empty where it can be heard.
  std::string why_silent(std::uint32_t index) const;
  std::vector<std::string_view> names() const;

 private:
  void measure();

  std::vector<Group> groups_;
};

}  // namespace tidewater
