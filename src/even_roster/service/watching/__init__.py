"""What the service does by itself: schedules, listening, asking who hands out addresses."""
