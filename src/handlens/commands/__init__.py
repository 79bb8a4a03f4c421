"""The commands of the command line, by what they do. `arguments` says what each takes."""
