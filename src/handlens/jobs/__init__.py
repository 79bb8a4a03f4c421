"""The queue's app and tasks: thin, they call core and store."""
