#pragma once
#include <string_view>

namespace tidewater::desk {

/// The page: one HTML file with its script and its style. CMake makes the source from page/built/page.html.
std::string_view page_html();

}  // namespace tidewater::desk
