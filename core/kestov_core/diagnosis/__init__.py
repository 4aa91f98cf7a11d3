"""Weighing what a fault may be, by evidence and cost: places of faults, the network, and the next thing to do."""
