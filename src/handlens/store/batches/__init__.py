"""Batches: many models against one rule sheet. `making` begins and steers them, `rows` says how each model stands, `feeding` gives the
queue what they wait for, `board` tells it all, `laying` puts what was tried on the tapes."""
