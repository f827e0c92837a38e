#pragma once

namespace tidewater {

/// What the comment of a sketched file says, so that check finds it again.
inline constexpr const char* placeholder_comment = "placeholder: a sketch made by tidewater";

}  // namespace tidewater
