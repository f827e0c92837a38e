#pragma once
/// `TIDEWATER_API` marks what a shared library lets its users link. Everything else stays inside the library.

#define TIDEWATER_API [[gnu::visibility("default")]]
