"""The address plan: pure values and decisions about sites, subnets, bands and assignments. No I/O."""
