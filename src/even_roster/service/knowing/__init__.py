"""What a running service knows: the pictures of plan and findings, the one door for what is learnt, the stream of events."""
