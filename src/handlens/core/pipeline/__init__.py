"""The one way of a model: open, play the tape, measure, judge, write, prove."""
