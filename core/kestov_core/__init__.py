"""The rules of the job: measurement, computation and advice for the axes of 3D printers.

Pure functions from values to values. No Django, no network, no clock, no global state.
"""

#: Stamped on every result, so that an old result can be told from a new one and computed again.
CORE_VERSION = "0.8.0"
