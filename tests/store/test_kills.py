"""A short run of `tools/try_kills.py`; the long one is told of in benchmarks/trust.md."""

import try_kills


def test_nothing_is_lost_doubled_or_stuck_after_some_kills(capsys):
    assert try_kills.main(5, 3) == 0, capsys.readouterr().out
