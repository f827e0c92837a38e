#pragma once
#include <cairo.h>
#include <pango/pangocairo.h>

#include <memory>
#include <string>
#include <string_view>

#include "base/whole_file.hpp"

namespace tidewater {

struct Colour {
  double red, green, blue, alpha = 1;
};

constexpr Colour rgb(unsigned hex, double alpha = 1) {
  return {static_cast<double>((hex >> 16U) & 255U) / 255, static_cast<double>((hex >> 8U) & 255U) / 255,
          static_cast<double>(hex & 255U) / 255, alpha};
}

/// A sheet to draw on, saved as PNG or SVG by the file's ending.
class Canvas {
 public:
  /// Throws Error for another ending. Lengths are in pixels from the top left.
  Canvas(std::string path, double width, double height, Colour paper);
  ~Canvas();
  Canvas(const Canvas&) = delete;
  Canvas& operator=(const Canvas&) = delete;

  void rectangle(double x, double y, double width, double height, Colour fill);
  void line(double x1, double y1, double x2, double y2, Colour colour, double width = 1);
  /// The path drawn on `cairo()` so far.
  void fill(Colour colour);
  void stroke(Colour colour, double width);

  enum class Align { left, centre, right };
  struct TextStyle {
    double size = 11;
    Colour colour{};
    bool bold = false;
    Align align = Align::left;
    double most_width = 0;  ///< more is cut with an ellipsis; 0 for any
  };
  /// `y` is the middle of the line. Returns the width.
  double text(double x, double y, std::string_view text, const TextStyle& style);
  double text_width(std::string_view text, const TextStyle& style);

  cairo_t* cairo() { return cairo_; }
  /// Throws Error where the file cannot be written. Without it nothing is left behind.
  void save();

 private:
  PangoLayout* lay_out(std::string_view text, const TextStyle& style);

  std::string path_;
  std::unique_ptr<WholeFile> file_;
  bool vector_ = false;
  cairo_surface_t* surface_ = nullptr;
  cairo_t* cairo_ = nullptr;
  PangoLayout* layout_ = nullptr;
};

}  // namespace tidewater
