"""A stand-in for the upload gates of destinations: a small service of its own, on this machine alone, which takes packages and answers.

It knows nothing of the shelf. `app` is its web application, `keeping` holds what was sent, `child` reads it, locked in.
"""
