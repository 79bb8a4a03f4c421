"""How a station says what it brings: checks, mends, panels, lenses, parameters and measures of its own, each one declaration."""
