"""What a station is made of: checks, mends, panels, and what several stations ask of a model."""
