#pragma once
/// Powers and logarithms that are the same, bit for bit, on every machine: the C library's are not. Nothing but comparisons, additions,
/// multiplications and divisions, in a fixed order; the compiler is told not to fuse them.

namespace tidewater::exact {

/// 2 to the x. Relative error below 1e-15; zero below -1000, infinity above 1000; what is not a number stays so.
double exp2(double x);

/// The logarithm of x to base 2, for x above zero; finite. Absolute error below 1e-15 of the larger of 1 and itself.
double log2(double x);

}  // namespace tidewater::exact
