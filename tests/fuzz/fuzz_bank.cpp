/// Reads a bank of made-up bytes, with hashes made right where they can be, so that what comes behind them is reached.

#include <cstdint>
#include <cstring>
#include <string>
#include <vector>

#include "author/unpack/book_of.hpp"
#include "bank/bank_records.hpp"
#include "bank/bank_samples.hpp"
#include "bank/bases.hpp"
#include "tidewater/error.hpp"
#include "tidewater/manager.hpp"
#include "tidewater/open_bank.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace tidewater;
  std::vector<std::byte> bytes(reinterpret_cast<const std::byte*>(data), reinterpret_cast<const std::byte*>(data) + size);
  bank_file::Header header;
  if (size >= sizeof header) {
    std::memcpy(&header, bytes.data(), sizeof header);
    header.file_size = size;
    if (header.table_at <= size && header.table_size <= size - header.table_at)
      header.table_hash = bank_file::hash_of(std::span(bytes).subspan(header.table_at, header.table_size));
    header.header_hash = bank_file::hash_of(std::as_bytes(std::span(&header, 1)).first(offsetof(bank_file::Header, header_hash)));
    std::memcpy(bytes.data(), &header, sizeof header);
  }
  const Read<Bank> read = read_bank(bytes, "made up");
  if (!read.value) return 0;
  // As a base of its own, for those that take clips from others; and as a book.
  if (const Read<Bank> whole = with_bases(*read.value, {BankInside::of(*read.value)}); whole.value) {
    SampleReader samples(data_of(*whole.value));
    for (const BankClip& clip : data_of(*whole.value).clips) samples.read(clip);
  }
  if (size < 8192) parse_book(text_of(book_of(data_of(*read.value), "made-up.tidebank")), "made-up.toml");
  SoundManager manager({.voices = 4, .offline = true});
  try {
    manager.load(*read.value);
  } catch (const Error&) {
    return 0;  // its samples
  }
  const std::vector<std::string_view> events = read.value->events();
  std::vector<float> block(512);
  for (std::size_t e = 0; e < events.size() && e < 8; ++e) {
    manager.raise(Name(events[e]));
    manager.update({});
    manager.render(block);
  }
  return 0;
}
