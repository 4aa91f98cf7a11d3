"""Test parts of our own design: what is measured on each, in order, and their shapes to print."""
