"""The test runner: one queue of test modules and checks, as many at once as the machine has cores.

`entries` finds what there is to run, `schedule` decides what may run beside what, `workers` runs it, `report` prints it.
"""
