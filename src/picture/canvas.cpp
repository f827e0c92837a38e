#include "picture/canvas.hpp"

#include <cairo-svg.h>
#include <fmt/format.h>

#include <filesystem>

#include "tidewater/error.hpp"

namespace tidewater {

namespace fs = std::filesystem;

Canvas::Canvas(std::string path, double width, double height, Colour paper) : path_(std::move(path)) {
  const std::string ending = fs::path(path_).extension().string();
  if (ending != ".png" && ending != ".svg")
    throw Error(fmt::format("{}: cannot tell the kind of picture from the ending '{}'; use .png or .svg", path_, ending));
  vector_ = ending == ".svg";
  file_ = std::make_unique<WholeFile>(path_);
  surface_ = vector_ ? cairo_svg_surface_create(file_->unfinished().c_str(), width, height)
                     : cairo_image_surface_create(CAIRO_FORMAT_RGB24, static_cast<int>(width), static_cast<int>(height));
  cairo_ = cairo_create(surface_);
  layout_ = pango_cairo_create_layout(cairo_);
  rectangle(0, 0, width, height, paper);
}

Canvas::~Canvas() {
  g_object_unref(layout_);
  cairo_destroy(cairo_);
  cairo_surface_destroy(surface_);
}

void Canvas::fill(Colour c) {
  cairo_set_source_rgba(cairo_, c.red, c.green, c.blue, c.alpha);
  cairo_fill(cairo_);
}

void Canvas::stroke(Colour c, double width) {
  cairo_set_source_rgba(cairo_, c.red, c.green, c.blue, c.alpha);
  cairo_set_line_width(cairo_, width);
  cairo_stroke(cairo_);
}

void Canvas::rectangle(double x, double y, double width, double height, Colour colour) {
  cairo_rectangle(cairo_, x, y, width, height);
  fill(colour);
}

void Canvas::line(double x1, double y1, double x2, double y2, Colour colour, double width) {
  cairo_move_to(cairo_, x1, y1);
  cairo_line_to(cairo_, x2, y2);
  stroke(colour, width);
}

PangoLayout* Canvas::lay_out(std::string_view text, const TextStyle& style) {
  PangoFontDescription* font = pango_font_description_from_string("DejaVu Sans, sans-serif");
  pango_font_description_set_absolute_size(font, style.size * PANGO_SCALE);
  pango_font_description_set_weight(font, style.bold ? PANGO_WEIGHT_BOLD : PANGO_WEIGHT_NORMAL);
  pango_layout_set_font_description(layout_, font);
  pango_font_description_free(font);
  // Names come from files: pango wants valid UTF-8.
  char* valid = g_utf8_make_valid(text.data(), static_cast<gssize>(text.size()));
  pango_layout_set_text(layout_, valid, -1);
  g_free(valid);
  pango_layout_set_single_paragraph_mode(layout_, TRUE);
  pango_layout_set_ellipsize(layout_, style.most_width > 0 ? PANGO_ELLIPSIZE_END : PANGO_ELLIPSIZE_NONE);
  pango_layout_set_width(layout_, style.most_width > 0 ? static_cast<int>(style.most_width * PANGO_SCALE) : -1);
  return layout_;
}

double Canvas::text_width(std::string_view text, const TextStyle& style) {
  int width = 0;
  pango_layout_get_pixel_size(lay_out(text, style), &width, nullptr);
  return width;
}

double Canvas::text(double x, double y, std::string_view text, const TextStyle& style) {
  int width = 0;
  int height = 0;
  pango_layout_get_pixel_size(lay_out(text, style), &width, &height);
  const double left = style.align == Align::left ? x : style.align == Align::centre ? x - width / 2.0 : x - width;
  cairo_move_to(cairo_, left, y - height / 2.0);
  cairo_set_source_rgba(cairo_, style.colour.red, style.colour.green, style.colour.blue, style.colour.alpha);
  pango_cairo_show_layout(cairo_, layout_);
  cairo_new_path(cairo_);  // the next line must not begin here
  return width;
}

void Canvas::save() {
  cairo_surface_flush(surface_);
  cairo_status_t status = cairo_status(cairo_);
  if (status == CAIRO_STATUS_SUCCESS && !vector_) status = cairo_surface_write_to_png(surface_, file_->unfinished().c_str());
  if (vector_) {
    cairo_surface_finish(surface_);
    status = cairo_surface_status(surface_);
  }
  if (status != CAIRO_STATUS_SUCCESS) file_->failed(cairo_status_to_string(status));
  file_->commit();
}

}  // namespace tidewater
