"""Computation without interface code: read, measure, judge, mend, write, prove."""
