"""Bringing new devices in: how far a fitting is, what a kind of device is known for, how names are made. Pure."""
