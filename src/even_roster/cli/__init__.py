"""The command line `roster`: argparse, one module per group of commands; talks to the service through the client."""
