"""Verification cases with their references, and worked examples: shared by the tests, ``make verify``, the manual and
the benchmarks."""
