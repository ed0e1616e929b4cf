"""Fittings: bringing new devices in, and the kinds of devices that the site knows."""
