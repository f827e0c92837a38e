#include "tidewater/picture/treemap.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "picture/palette.hpp"

namespace tidewater {
namespace {

struct Field {
  double x = 0, y = 0, width = 0, height = 0;

  double area() const { return width * height; }
  Field inside(double left, double top, double right, double bottom) const {
    return {x + left, y + top, std::max(0.0, width - left - right), std::max(0.0, height - top - bottom)};
  }
};

/// Parts a field by shares, the largest first, into fields that are as square as can be (M. Bruls, K. Huizing, J. J. van Wijk: Squarified
/// treemaps, 2000): a row along the shorter side takes one after the other, as long as that makes its worst one better.
std::vector<Field> parted(Field field, const std::vector<double>& shares) {
  double all = 0;
  for (const double share : shares) all += share;
  std::vector<Field> fields;
  const double scale = all > 0 ? field.area() / all : 0;
  for (std::size_t first = 0; first < shares.size();) {
    const double side = std::max(1e-9, std::min(field.width, field.height));
    const auto worst = [&](double sum, double largest, double smallest) {
      return std::max(side * side * largest / (sum * sum), sum * sum / (side * side * smallest));
    };
    double sum = std::max(1e-9, shares[first] * scale);
    std::size_t last = first + 1;
    while (last < shares.size()) {
      const double next = std::max(1e-9, shares[last] * scale);
      if (worst(sum + next, shares[first] * scale, next) > worst(sum, shares[first] * scale, std::max(1e-9, shares[last - 1] * scale)))
        break;
      sum += next;
      ++last;
    }
    const double depth = sum / side;
    const bool column = field.width >= field.height;
    double along = 0;
    for (; first < last; ++first) {
      const double length = shares[first] * scale / depth;
      fields.push_back(column ? Field{field.x, field.y + along, depth, length} : Field{field.x + along, field.y, length, depth});
      along += length;
    }
    field = column ? field.inside(depth, 0, 0, 0) : field.inside(0, depth, 0, 0);
  }
  return fields;
}

std::string size_of(double bytes) {
  return bytes < 1024 * 1024 ? fmt::format("{:.0f} KiB", bytes / 1024) : fmt::format("{:.2f} MiB", bytes / (1024 * 1024));
}

/// A name, the parts of it, and what they take.
struct Node {
  std::string name;
  double bytes = 0;
  std::vector<const TreemapItem*> clips;  ///< of a sound
};

using Key = std::string TreemapItem::*;

/// The largest first.
std::vector<Node> grouped(const std::vector<const TreemapItem*>& items, Key key) {
  std::map<std::string, Node> nodes;
  for (const TreemapItem* item : items) {
    Node& node = nodes[item->*key];
    node.name = item->*key;
    node.bytes += static_cast<double>(item->bytes);
    node.clips.push_back(item);
  }
  std::vector<Node> sorted;
  for (auto& [name, node] : nodes) {
    std::stable_sort(node.clips.begin(), node.clips.end(), [](const auto* a, const auto* b) { return a->bytes > b->bytes; });
    sorted.push_back(std::move(node));
  }
  std::stable_sort(sorted.begin(), sorted.end(), [](const Node& a, const Node& b) { return a.bytes > b.bytes; });
  return sorted;
}

std::vector<double> shares_of(const std::vector<Node>& nodes) {
  std::vector<double> shares;
  for (const Node& node : nodes) shares.push_back(node.bytes);
  return shares;
}

Colour lighter(Colour colour, double by) {
  return {colour.red + (1 - colour.red) * by, colour.green + (1 - colour.green) * by, colour.blue + (1 - colour.blue) * by, 1};
}

/// Dark text on what is light, light text on what is dark.
Colour readable_on(Colour colour) { return 0.3 * colour.red + 0.59 * colour.green + 0.11 * colour.blue > 0.55 ? ink : paper; }

class Map {
 public:
  Map(Canvas& canvas, Field field) : canvas_(canvas), field_(field) {}

  void draw(const std::vector<const TreemapItem*>& items) {
    const std::vector<Node> groups = grouped(items, &TreemapItem::group);
    const std::vector<Field> fields = parted(field_, shares_of(groups));
    for (std::size_t g = 0; g < groups.size(); ++g) draw_group(groups[g], fields[g], lane_colours[g % lane_colours.size()]);
  }

 private:
  void draw_group(const Node& group, const Field& field, Colour colour) {
    const Field its = field.inside(1.5, 1.5, 1.5, 1.5);
    canvas_.rectangle(its.x, its.y, its.width, its.height, colour);
    const double head = its.height > 40 && its.width > 46 ? 19 : 0;
    if (head > 0)
      canvas_.text(its.x + 6, its.y + 10, fmt::format("{}  {}", group.name, size_of(group.bytes)),
                   {12, readable_on(colour), true, Canvas::Align::left, its.width - 12});
    const std::vector<Node> sounds = grouped(group.clips, &TreemapItem::sound);
    const std::vector<Field> fields = parted(its.inside(2, 2 + head, 2, 2), shares_of(sounds));
    for (std::size_t s = 0; s < sounds.size(); ++s) draw_sound(sounds[s], fields[s], colour);
  }

  void draw_sound(const Node& sound, const Field& field, Colour colour) {
    const Field its = field.inside(1, 1, 1, 1);
    canvas_.rectangle(its.x, its.y, its.width, its.height, lighter(colour, 0.35));
    const double head = its.height > 44 && its.width > 40 ? 16 : 0;
    if (head > 0)
      canvas_.text(its.x + 5, its.y + 9, fmt::format("{}  {}", sound.name, size_of(sound.bytes)),
                   {10.5, readable_on(lighter(colour, 0.35)), true, Canvas::Align::left, its.width - 10});
    std::vector<double> shares;
    for (const TreemapItem* clip : sound.clips) shares.push_back(static_cast<double>(clip->bytes));
    const std::vector<Field> fields = parted(its.inside(1, 1 + head, 1, 1), shares);
    for (std::size_t c = 0; c < fields.size(); ++c) draw_clip(*sound.clips[c], fields[c].inside(0.5, 0.5, 0.5, 0.5), lighter(colour, 0.72));
  }

  void draw_clip(const TreemapItem& clip, const Field& its, Colour colour) {
    if (its.width < 0.5 || its.height < 0.5) return;
    canvas_.rectangle(its.x, its.y, its.width, its.height, colour);
    cairo_t* cairo = canvas_.cairo();
    if (clip.streams) {
      cairo_save(cairo);
      cairo_rectangle(cairo, its.x, its.y, its.width, its.height);
      cairo_clip(cairo);
      for (double x = its.x - its.height; x < its.x + its.width; x += 9)
        canvas_.line(x, its.y + its.height, x + its.height, its.y, lighter(ink, 0.72), 1);
      cairo_restore(cairo);
    }
    if (clip.marked) {
      cairo_rectangle(cairo, its.x + 1, its.y + 1, std::max(0.0, its.width - 2), std::max(0.0, its.height - 2));
      canvas_.stroke(alarm, 2);
    }
    if (its.width < 34 || its.height < 14) return;
    const auto slash = clip.name.rfind('/');
    const std::string name = slash == std::string::npos ? clip.name : clip.name.substr(slash + 1);
    const double shown = std::min(its.width - 8, canvas_.text_width(name, {10, ink}));
    if (clip.streams) canvas_.rectangle(its.x + 3, its.y + 3, std::max(shown, 44.0) + 3, its.height > 30 ? 26 : 13, colour);
    canvas_.text(its.x + 4, its.y + 9, name, {10, ink, false, Canvas::Align::left, its.width - 8});
    if (its.height > 30)
      canvas_.text(its.x + 4, its.y + 22, size_of(static_cast<double>(clip.bytes)),
                   {9.5, faint_ink, false, Canvas::Align::left, its.width - 8});
  }

  Canvas& canvas_;
  Field field_;
};

}  // namespace

void draw_treemap(const std::vector<TreemapItem>& items, const std::string& path, const std::string& title, const std::string& remark,
                  PictureSize size) {
  Canvas canvas(path, size.width, size.height, paper);
  canvas.text(16, 22, title, {17, ink, true, Canvas::Align::left, size.width - 32});
  std::vector<const TreemapItem*> there;
  for (const TreemapItem& item : items)
    if (item.bytes > 0) there.push_back(&item);
  if (there.empty())
    canvas.text(size.width / 2, size.height / 2, "there are no samples in it", {13, faint_ink, false, Canvas::Align::centre});
  else
    Map(canvas, {14, 42, size.width - 28, size.height - 74}).draw(there);
  canvas.text(16, size.height - 16, remark, {10.5, faint_ink, false, Canvas::Align::left, size.width - 32});
  canvas.save();
}

}  // namespace tidewater
