"""What several text formats ask for."""
