"""Starting: one Hand Lens a data folder, and a database that is seen to be there."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest

from handlens.launch.claim import Claimed, claim, tell
from handlens.launch.cluster import Cluster, free_port


def test_a_second_one_is_told_where_the_first_is(tmp_path):
    first = claim(tmp_path)
    with pytest.raises(Claimed, match="already; stop that one first"):
        claim(tmp_path, patience=0.0)
    tell(first, "http://127.0.0.1:8440/")
    with pytest.raises(Claimed, match=r"already, at http://127\.0\.0\.1:8440/;"):
        claim(tmp_path, patience=0.0)
    first.close()
    # The next one begins without the address of the one before.
    second = claim(tmp_path, patience=0.0)
    with pytest.raises(Claimed, match="already; stop"):
        claim(tmp_path, patience=0.0)
    second.close()


def test_one_that_is_being_stopped_is_waited_for(tmp_path):
    code = f"from pathlib import Path; from handlens.launch.claim import claim; import time; held = claim(Path({str(tmp_path)!r})); print('held', flush=True); time.sleep(1)"
    other = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, env={"PYTHONPATH": ":".join(sys.path)})
    assert other.stdout.readline() == b"held\n"
    claim(tmp_path, patience=20.0).close()
    assert other.wait(10) == 0


def test_a_cluster_that_stops_is_missed():
    # Not below pytest's own folder, which is closed to the user that the database runs as.
    with tempfile.TemporaryDirectory(prefix="handlens-test-") as folder:
        os.chmod(folder, 0o755)
        cluster = Cluster(Path(folder), free_port(9200))
        assert not cluster.alive
        cluster.start()
        assert cluster.alive
        cluster.stop()
        assert not cluster.alive
