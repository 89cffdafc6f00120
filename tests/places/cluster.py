"""A small Spark cluster for the tests: a master, two workers and a Connect server, on free ports.

For the many plans of a few rows there is a server without a cluster as well. Each is started once
for the process that first asks for it, and ended with it by its process ids.
"""

from __future__ import annotations

import atexit
import contextlib
import importlib.util
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
from functools import cache
from pathlib import Path

from keen_trellis.places.spark.cluster import SparkCluster
from keen_trellis.places.spark.settings import MEANINGS
from keen_trellis.places.spark.spark_session import SparkClusterSession

_STARTS_WITHIN_S = 180
DRIVERS = [Path("/usr/share/java") / name for name in ("postgresql.jar", "mariadb-java-client.jar")]
"""What Debian's packages bring: with them the cluster reads tables of the servers."""
_SETTINGS = {  # plans of a few rows: what is compiled for them takes longer than they do
    "spark.ui.enabled": "false",
    "spark.executor.memory": "600m",
    "spark.sql.shuffle.partitions": "2",
    "spark.default.parallelism": "2",
    "spark.sql.codegen.wholeStage": "false",
    "spark.sql.codegen.factoryMode": "NO_CODEGEN",
    "spark.sql.adaptive.enabled": "false",
    "spark.task.maxFailures": "8",
}
_OTHERS = {  # the meaning that each has where it is no switch
    "CORRECTED": "LEGACY",
    "TIMESTAMP_LTZ": "TIMESTAMP_NTZ",
    "TIMESTAMP_MICROS": "INT96",
    "ANSI": "LEGACY",
    "UTC": "Pacific/Auckland",
    "^[._]": "^[a-z].*",
    "true": "false",
    "false": "true",
}
ODD_HABITS = {name: _OTHERS[value] for name, value in MEANINGS.items()}
"""What the cluster is used to: of all that changes the meaning of a question the opposite."""
_ENDS_WITH_US = ("setpriv", "--pdeathsig", "KILL")
"""What has the system end a process with the one that started it, also when that is killed."""
_SHORT_LIVED = "-XX:TieredStopAtLevel=1 -XX:+UseSerialGC"
"""Compiled once and quickly: none of the machines lives long enough for more to be worth it."""


class Spark:
    """A Connect server with its processes, and the folder that they write to.

    Parameters
    ----------
    master : str, optional
        Where it works its plans out: in two threads of its own where nothing is given, which is
        quicker for plans of a few rows than a cluster.
    """

    def __init__(self, master: str = "local[2]") -> None:
        found = importlib.util.find_spec("pyspark")
        assert found is not None and found.origin is not None
        self.home = Path(found.origin).parent
        self.folder = Path(tempfile.mkdtemp(prefix="keen-cluster-"))
        self.processes: dict[str, subprocess.Popen[bytes]] = {}
        self.master, self.port = master, _free_port()
        atexit.register(self.stop)
        self.start_master()
        self.start_server()

    def start_master(self) -> None:
        """Start what the server works with, where that is more than itself."""

    def start_server(self) -> None:
        """Start the server that clients speak to."""
        settings = {**_SETTINGS, **ODD_HABITS, "spark.connect.grpc.binding.port": str(self.port)}
        found = ",".join(str(driver) for driver in DRIVERS if driver.exists())
        drivers = ["--jars", found] if found else []
        self.start(
            "server",
            *("spark-submit", "--master", self.master, *drivers),
            *("--class", "org.apache.spark.sql.connect.service.SparkConnectServer"),
            *(word for name, value in settings.items() for word in ("--conf", f"{name}={value}")),
            "spark-internal",
        )
        self.wait_for("server", self.port)

    def start(self, name: str, program: str, *arguments: str) -> None:
        """Start a process by one of the programs that a Spark has."""
        surroundings = {
            **os.environ,
            "SPARK_HOME": str(self.home),
            "SPARK_LOCAL_IP": "127.0.0.1",
            "SPARK_WORKER_DIR": str(self.folder / "work"),
            "SPARK_LOCAL_DIRS": str(self.folder / "local"),
            "SPARK_LOG_DIR": str(self.folder),
            "PYSPARK_PYTHON": sys.executable,
            "JAVA_TOOL_OPTIONS": _SHORT_LIVED,
        }
        with (self.folder / f"{name}.log").open("wb") as log:
            self.processes[name] = subprocess.Popen(
                [*_ENDS_WITH_US, str(self.home / "bin" / program), *arguments],
                cwd=self.folder,
                env=surroundings,
                stdout=log,
                stderr=log,
                start_new_session=True,  # its children end with it
            )

    def wait_for(self, name: str, port: int) -> None:
        """Wait until a process listens; one that has ended instead is told by what it wrote."""
        until = time.monotonic() + _STARTS_WITHIN_S
        while time.monotonic() < until and self.processes[name].poll() is None:
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 1):
                return
            time.sleep(0.2)
        written = (self.folder / f"{name}.log").read_text("utf-8", "replace")
        raise TimeoutError(f"The {name} does not listen. It wrote: {written[-3000:]}")

    def kill(self, name: str) -> None:
        """End a process of the cluster and its children at once."""
        process = self.processes.pop(name)
        with contextlib.suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL)
        process.wait()

    def stop(self) -> None:
        """End all processes, and remove what they wrote."""
        for name in list(self.processes):
            self.kill(name)
        shutil.rmtree(self.folder, ignore_errors=True)

    def place(self, *sees: str) -> SparkCluster:
        """Return the cluster as a trellis names it."""
        return SparkCluster("127.0.0.1", self.port, sees)


class Cluster(Spark):
    """A server that works its plans out on two workers of one core each."""

    def __init__(self) -> None:
        self.master_port = _free_port()
        super().__init__(f"spark://127.0.0.1:{self.master_port}")

    def start_master(self) -> None:
        """Start the master and the workers."""
        self.start(
            "master",
            *("spark-class", "org.apache.spark.deploy.master.Master", "--host", "127.0.0.1"),
            *("--port", str(self.master_port), "--webui-port", str(_free_port())),
        )
        self.wait_for("master", self.master_port)
        for name in ("worker 1", "worker 2"):
            self.start_worker(name)

    def start_worker(self, name: str) -> None:
        """Start a worker with one core."""
        self.start(
            name,
            *("spark-class", "org.apache.spark.deploy.worker.Worker", "--cores", "1"),
            *("--memory", "700m", "--webui-port", str(_free_port()), self.master),
        )


@cache
def cluster() -> Cluster:
    """Return the cluster of this process, started when it is first asked for."""
    return Cluster()


@cache
def one_server() -> Spark:
    """Return the server without a cluster of this process."""
    return Spark()


class SparkTestCase(unittest.TestCase):
    """A test that asks a Spark; without Java or Spark it is skipped, but not where CI is set."""

    session: SparkClusterSession

    @classmethod
    def setUpClass(cls) -> None:
        missing = "Java" if shutil.which("java") is None else ""
        missing = missing or ("" if importlib.util.find_spec("pyspark") else "pyspark")
        if missing and not os.environ.get("CI"):
            raise unittest.SkipTest(f"no {missing} on this machine")
        cls.session = SparkClusterSession(cls.spark().place())
        cls.addClassCleanup(cls.session.close)

    @classmethod
    def spark(cls) -> Spark:
        """Return what is asked."""
        return one_server()


def _free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])
