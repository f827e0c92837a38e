/// Writes the tables of a document again: scripts/book-tables.

#include "book_tables.hpp"
#include "bank_tables.hpp"
#include "osc_table.hpp"

#include <fstream>
#include <iostream>
#include <sstream>

int main(int count, char** arguments) {
  if (count != 2) return std::cerr << "book_tables DOCUMENT\n", 2;
  std::ostringstream text;
  text << std::ifstream(arguments[1]).rdbuf();
  using namespace tidewater::testing;
  const std::string_view name = arguments[1];
  const std::string made = name.ends_with("bank-format.md") ? with_record_tables(text.str())
                           : name.ends_with("osc.md")       ? with_osc_table(text.str())
                                                            : with_tables(text.str());
  std::ofstream(arguments[1]) << made;
  std::cout << arguments[1] << (made == text.str() ? ": as it was\n" : ": its tables are new\n");
}
