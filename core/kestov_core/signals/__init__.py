"""Numerical pieces that several procedures share: conditioning, onsets, partials, shapers."""
