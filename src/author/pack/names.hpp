#pragma once
#include <map>
#include <string>

#include "tidewater/author/book.hpp"
#include "tidewater/bank.hpp"

namespace tidewater {

/// A bank as a target of the book has it: without the names of its events, sounds, groups, layers, clips and traits where the target says
/// so. Throws Error where two of them would be one.
Bank without_names(const Bank& bank, const Book& book, const std::string& target);

/// The opposite, as far as these names go.
Bank with_names(const Bank& bank, const std::map<std::string, std::string>& names);

/// Writes the bank so, as `write_bank` does; and what names it was left without, into a file of its name that ends in ".names".
bool write_as_target_says(const Bank& bank, const Book& book, const std::string& target, const std::string& path);

}  // namespace tidewater
