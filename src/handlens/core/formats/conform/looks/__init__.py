"""Materials as a format can hold them: which inputs, how they are laid on, how alpha is said, what values there are."""
