#include <catch2/catch.hpp>
#include <cmath>

#include "base/clip_position.hpp"
#include "base/exact.hpp"
#include "base/random.hpp"
#include "listening.hpp"
#include "tidewater/name.hpp"
#include "tidewater/units.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

TEST_CASE("levels are read in dB, as amplitude and as how loud they sound") {
  CHECK(read_decibels("-6 dB").value == Decibels{-6});
  CHECK(read_decibels(" +3.5dB ").value == Decibels{3.5});
  CHECK(read_decibels("x0.5").value->value == Approx(-6.0206));
  CHECK(read_decibels("50 %").value->value == Approx(-10));
  CHECK(read_decibels("100%").value->value == Approx(0));
  CHECK(read_decibels("0 %").value == silence);
  CHECK(read_decibels("silent").value == silence);
}

TEST_CASE("pitch is read in semitones, cents and as a ratio") {
  CHECK(read_semitones("-2 st").value == Semitones{-2});
  CHECK(read_semitones("30 ct").value->value == Approx(0.3));
  CHECK(read_semitones("x2").value->value == Approx(12));
  CHECK(ratio(*read_semitones("x0.8").value) == Approx(0.8));
}

TEST_CASE("times are read in milliseconds, seconds and minutes") {
  CHECK(read_seconds("60 ms").value->value == Approx(0.06));
  CHECK(read_seconds("1.5 s").value->value == 1.5);
  CHECK(read_seconds("2 min").value->value == 120);
}

TEST_CASE("frequencies and places are read") {
  CHECK(read_hertz("2 kHz").value == Hertz{2000});
  CHECK_THAT(read_hertz("800").problem, Contains("write \"800 Hz\" or \"800 kHz\""));
  CHECK_THAT(read_hertz("1 Hz").problem, Contains("outside"));
  CHECK(read_pan("centre").value == Pan{0});
  CHECK(read_pan("30 % left").value == Pan{-0.3});
  CHECK(read_pan_range("20 % left .. 100% right").value == Range<Pan>{{-0.2}, {1}});
  CHECK_THAT(read_pan("30 %").problem, Contains("no place between the speakers"));
}

TEST_CASE("a quantity that cannot be read says why and what to write") {
  struct Case {
    std::string text, problem;
  };
  for (const auto& [text, problem] : {Case{"-6", "lacks a unit; write \"-6 dB\""}, Case{"6", "write \"6 dB\", \"6 %\" or \"x6\""},
                                      Case{"-6 st", "\"st\" is not a unit of a level"}, Case{"loud", "\"loud\" is not a level"},
                                      Case{"", "is not a level"}, Case{"-5 %", "below nothing"}, Case{"40 dB", "louder than \"+24 dB\""},
                                      Case{"nan dB", "is not a level"}, Case{"x", "is not a level"}})
    CHECK_THAT(read_decibels(text).problem, Contains(problem));
  CHECK_THAT(read_seconds("60").problem, Contains("lacks a unit; write \"60 ms\" or \"60 s\""));
  CHECK_THAT(read_seconds("-60 ms").problem, Contains("negative"));
  CHECK_THAT(read_seconds("2000 min").problem, Contains("longer than an hour"));
  CHECK_THAT(read_semitones("60 st").problem, Contains("three octaves"));
  CHECK_THAT(read_semitones("x0").problem, Contains("not above zero"));
}

TEST_CASE("ranges have two ends, one unit for both, or no width") {
  CHECK(read_decibel_range("-9 dB .. -6 dB").value == Range<Decibels>{{-9}, {-6}});
  CHECK(read_semitone_range("-2 .. 2 st").value == Range<Semitones>{{-2}, {2}});
  CHECK(read_decibel_range("-3 dB").value == Range<Decibels>{{-3}, {-3}});
  CHECK_THAT(read_decibel_range("-6 dB .. -9 dB").problem, Contains("the wrong way round; write \"-9 dB .. -6 dB\""));
  CHECK_THAT(read_semitone_range("-2 .. 2").problem, Contains("lacks a unit"));
  CHECK_THAT(read_semitone_range(".. 2 st").problem, Contains("is not a pitch"));
}

TEST_CASE("what can only mean one thing is taken as people write it, in small letters or large") {
  CHECK(read_semitone_range("+-1 st").value == Range<Semitones>{{-1}, {1}});
  CHECK(read_semitone_range("\u00b11 st").value == Range<Semitones>{{-1}, {1}});
  CHECK(read_semitone_range("+/- 1.5 ST").value == Range<Semitones>{{-1.5}, {1.5}});
  CHECK(read_decibel_range("\u00b12 dB").value == Range<Decibels>{{-2}, {2}});
  CHECK(read_semitone_range("-1 to 1 st").value == Range<Semitones>{{-1}, {1}});
  CHECK(read_decibel_range("-6 dB - -3 dB").value == Range<Decibels>{{-6}, {-3}});
  CHECK(read_decibel_range("-6 dB - +3 dB").value == Range<Decibels>{{-6}, {3}});
  CHECK(read_second_range("10 ms - 30 ms").value == Range<Seconds>{{0.01}, {0.03}});
  CHECK(read_second_range("10 \u2013 30 ms").value == Range<Seconds>{{0.01}, {0.03}});
  CHECK(read_decibel_range("\u22126 dB\u2026\u22123 dB").value == Range<Decibels>{{-6}, {-3}});
  CHECK(read_semitone_range("x0.8 .. 1.2").value->high.value == Approx(semitones(1.2).value));
  CHECK(read_semitone_range("\u00d70.8..\u00d71.2").value->low.value == Approx(semitones(0.8).value));
  CHECK(read_semitone_range("-1 st ... 1 st").value == Range<Semitones>{{-1}, {1}});
  CHECK(read_decibels("-3,5 dB").value == Decibels{-3.5});
  CHECK(read_seconds("0,5 s").value == Seconds{0.5});
  CHECK(read_seconds("1S").value == Seconds{1});
  CHECK(read_seconds("60 MS").value == Seconds{0.06});
  CHECK(read_decibels("-INF dB").value == silence);
  CHECK(read_decibels("-inf dB").value == silence);
  CHECK(read_decibels("Silent").value == silence);
  CHECK(read_decibels("-6DB").value == Decibels{-6});
  CHECK(read_decibels("X0.5").value == read_decibels("x0.5").value);
  CHECK(read_hertz("800 hz").value == Hertz{800});
  CHECK(read_hertz("2 KHZ").value == Hertz{2000});
  CHECK(read_loudness("-23 lufs").value == Decibels{-23});
  CHECK(read_pan("30 % Left").value == Pan{-0.3});
  CHECK(read_pan("Centre").value == Pan{0});
}

TEST_CASE("what may mean two things is refused, with the right forms written out") {
  CHECK_THAT(read_semitone_range("0.8..1.2").problem,
             Contains("\"0.8..1.2\" lacks a unit; write \"0.8 .. 1.2 st\", \"0.8 .. 1.2 ct\" or \"x0.8 .. x1.2\""));
  CHECK_THAT(read_decibel_range("-9 .. -6").problem, Contains("write \"-9 .. -6 dB\""));
  CHECK_THAT(read_decibel_range("-6 dB - 3 dB").problem, Contains("write \"-6 db .. 3 db\" or \"-6 db .. -3 db\""));
  CHECK_THAT(read_hertz("1,500 Hz").problem, Contains("may be a point or part thousands; write \"1.500 Hz\" or \"1500 Hz\""));
  CHECK_THAT(read_second_range("+-60 ms").problem, Contains("is negative"));
  CHECK_THAT(read_semitone_range("+-").problem, Contains("is not a pitch"));
  CHECK_THAT(read_seconds("2 sec").problem, Contains("\"sec\" is not a unit of a time; write \"2 ms\" or \"2 s\""));
  CHECK_THAT(read_decibels("+inf dB").problem, Contains("is not a level"));
}

TEST_CASE("times, frequencies, frames, shares and loudness have units of their own") {
  CHECK(read_second_range("10 ms .. 1 s").value == Range<Seconds>{{0.01}, {1}});
  CHECK(read_second_range("10 .. 30 ms").value == Range<Seconds>{{0.01}, {0.03}});
  CHECK(read_hertz_range("200 Hz .. 2 kHz").value == Range<Hertz>{{200}, {2000}});
  CHECK(read_frame_range("48000 .. 96000 frames").value == Range<Frames>{{48000}, {96000}});
  CHECK_THAT(read_frame_range("1.5 .. 2 frames").problem, Contains("a whole number of frames"));
  CHECK_THAT(read_frame_range("1 .. 2 s").problem, Contains("frames"));
  CHECK(read_share("30 %").value == Approx(0.3));
  for (const auto* text : {"130 %", "-1 %", "0.3", "often"}) CHECK_THAT(read_share(text).problem, Contains("is not a share"));
  CHECK(read_loudness("-23 LUFS").value == Decibels{-23});
  CHECK_THAT(read_loudness("-23").problem, Contains("lacks a unit; write \"-23 LUFS\""));
  CHECK_THAT(read_loudness("-3 LUFS").problem, Contains("outside -60 LUFS to -5 LUFS"));
}

TEST_CASE("what is written is read back as the very same value") {
  for (const double x : {-6.0, 0.1, -0.3333333333333333, 12.345678901234567}) {
    CHECK(read_decibels(to_text(Decibels{x})).value == Decibels{x});
    CHECK(read_semitones(to_text(Semitones{x})).value == Semitones{x});
    CHECK(read_seconds(to_text(Seconds{std::abs(x)})).value == Seconds{std::abs(x)});
  }
  CHECK(read_decibels(to_text(silence)).value == silence);
}

TEST_CASE("a slider at half sounds half as loud, and at zero is silent") {
  CHECK(loudness_fraction(Decibels{-10}) == Approx(0.5));
  CHECK(loudness_fraction(silence) == 0);
  for (const double fraction : {0.1, 0.5, 0.9, 1.0}) CHECK(loudness_fraction(from_loudness_fraction(fraction)) == Approx(fraction));
}

TEST_CASE("names hash alike while compiling and while running") {
  static_assert("ferry.docked"_name.hash() == hash_name("ferry.docked"));
  CHECK(Name(std::string("ferry.docked")).hash() == "ferry.docked"_name.hash());
  CHECK("ferry.docked"_name.hash() != "ferry.dockes"_name.hash());
}

TEST_CASE("a place between the speakers is written so that the very same is read back") {
  Random random(1);
  for (int i = 0; i < times(200'000, 10'000); ++i) {
    const Pan pan{(random.below(2) == 0 ? 1 : -1) * (random.below(4) == 0 ? std::pow(10, random.between(-300, 0)) : random.unit())};
    const auto read = read_pan(to_text(pan));
    if (!read.value || read.value->value != pan.value) FAIL(to_text(pan));
  }
  CHECK(to_text(Pan{-0.37}) == "37 % left");
  CHECK(to_text(Pan{0.005}) == "0.5 % right");
  CHECK(to_text(Pan{1}) == "100 % right");
  CHECK(to_text(Pan{0.3}) == "30 % right");
  CHECK(read_share("0.5 %").value == 0.005);
}

TEST_CASE("powers and logarithms of our own agree with the C library's, and go both ways") {
  Random random(3);
  for (int i = 0; i < 20000; ++i) {
    const double x = random.between(-200, 200);
    REQUIRE(exact::exp2(x) == Approx(std::exp2(x)).epsilon(1e-14));
    const double y = std::exp2(random.between(-60, 60));
    REQUIRE(exact::log2(y) == Approx(std::log2(y)).epsilon(1e-14).margin(2e-15));
  }
  for (int i = -999; i < 1000; ++i) REQUIRE(exact::exp2(i) == std::exp2(i));
  CHECK(exact::exp2(-2000) == 0);
  CHECK(exact::exp2(-HUGE_VAL) == 0);
  CHECK(std::isinf(exact::exp2(2000)));
  CHECK(std::isnan(exact::exp2(std::nan(""))));
  CHECK(exact::log2(1) == 0);
  // The very bits: another machine must find the same.
  CHECK(exact::exp2(0.1) == 0x1.125fbee250665p+0);
  CHECK(exact::log2(10) == 0x1.a934f0979a371p+1);
}

TEST_CASE("a place in a clip goes on exactly, in one stride or in many") {
  Random random(8);
  for (int i = 0; i < 2000; ++i) {
    const std::uint64_t step = random.bits() >> (24 + random.below(8));
    const auto frames = static_cast<std::int64_t>(random.bits() >> (24 + random.below(30)));
    ClipPosition at_once{static_cast<std::int64_t>(random.below(1000)), static_cast<std::uint32_t>(random.bits())};
    ClipPosition in_two = at_once;
    at_once.advance(step, frames);
    const std::int64_t first = frames / 3;
    in_two.advance(step, first);
    in_two.advance(step, frames - first);
    REQUIRE(at_once.whole == in_two.whole);
    REQUIRE(at_once.part == in_two.part);
    REQUIRE(static_cast<double>(at_once.whole) == Approx(static_cast<double>(frames) * static_cast<double>(step) * 0x1p-32).margin(1001));
  }
  ClipPosition looped{1050, 7};
  looped.fold(900, 1000);
  CHECK(looped.whole == 950);
  CHECK(looped.part == 7);
}
