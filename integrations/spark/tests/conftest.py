"""A real cluster on this machine: a driver and two executors, each a process with one core."""

import os
import pathlib
import shutil
import sys

import pytest

HERE = pathlib.Path(__file__).resolve().parent
SOURCE = HERE.parent / "src"
os.environ.setdefault("SPARK_LOCAL_IP", "127.0.0.1")
os.environ["PYSPARK_PYTHON"] = os.environ["PYSPARK_DRIVER_PYTHON"] = sys.executable
sys.path.insert(0, str(SOURCE))


@pytest.fixture(scope="session")
def program():
    """The program that is tested."""
    named = os.environ.get("KEEN_NOTCH") or shutil.which("keen-notch") or HERE.parents[2] / "target" / "release" / "keen-notch"
    assert os.access(named, os.X_OK), f"{named} is not there: build it with cargo build --release, or name it in KEEN_NOTCH"
    return str(named)


@pytest.fixture(scope="session")
def spark():
    from pyspark.sql import SparkSession

    builder = SparkSession.builder.master("local-cluster[2,1,1024]").appName("keen-notch")
    for key, value in {
        "spark.ui.enabled": "false",
        "spark.ui.showConsoleProgress": "false",
        "spark.sql.shuffle.partitions": "2",
        "spark.executorEnv.PYTHONPATH": str(SOURCE),
        "spark.task.maxFailures": "4",
        # As between machines: blocks of a shuffle come over the network, in any order.
        "spark.shuffle.readHostLocalDisk": "false",
        "spark.driver.memory": "2g",
        "spark.log.level": "OFF",
    }.items():
        builder = builder.config(key, value)
    session = builder.getOrCreate()
    yield session
    session.stop()
