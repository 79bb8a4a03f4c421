"""Start everything on one machine: a PostgreSQL cluster of our own, the web server and the worker."""
