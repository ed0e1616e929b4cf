"""What was true when: looks, deaf times, and the one rule for moments. Pure."""
