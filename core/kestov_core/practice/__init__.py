"""Practice: a simulated machine that ails, met by the same looks, instruments, repairs and prints as a real one.

``lessons``: what is practised, on which machine (data). ``truth``: what is truly wrong, and the one simulated machine that follows from it.
``senses``: what eye, ear and hand are told of it (data). ``prints``: how its print looks. ``account``: what was done beside what the
weighing would have done. Nothing here knows of a person, a case or a clock.
"""
