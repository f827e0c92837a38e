#pragma once
#include <span>
#include <string>
#include <vector>

#include "tidewater/bank.hpp"
#include "tidewater/replay.hpp"

namespace tidewater::tool {

/// The banks with which sessions are played again: a bank file, all of a folder, or of a book: those that it names if the game loaded them,
/// or else one of all.
std::vector<Bank> banks_of(const std::string& path, std::span<const JournalScript> sessions);

}  // namespace tidewater::tool
