# Writes the page as C++ source: cmake -DPAGE=page.html -DSOURCE=page.cpp -P EmbedPage.cmake
file(READ "${PAGE}" bytes HEX)
string(REGEX REPLACE "([0-9a-f][0-9a-f])" "'\\\\x\\1'," bytes "${bytes}")
file(WRITE "${SOURCE}" "#include \"desk/page.hpp\"\n\nnamespace tidewater::desk {\n\nstd::string_view page_html() {\n"
  "  static constexpr char bytes[] = {${bytes}};\n  return {bytes, sizeof bytes};\n}\n\n}  // namespace tidewater::desk\n")
