#pragma once
#include "tidewater/export.hpp"

/// Marks what our own libraries use of one another, and nobody else: a shared library of the core exports it for those beside it.
#define TIDEWATER_OURS TIDEWATER_API
