"""Tables as instruments write them, and how their columns become those that a procedure reads.

`seen`: what stands in a file. `mapping`: which of its columns is which, in what unit. `sense`: whether that can be.
"""
