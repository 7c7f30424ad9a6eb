"""Verification cases against their bounds."""
