"""Runs commands of the shell, each five times, in turn. For the scripts beside it."""

import os
import resource
import statistics
import subprocess


def measure(path):
    """Reads lines of a name, a tab and a command. Gives the medians of the seconds of processor time, and by the clock, by name."""
    commands = [line.rstrip("\n").split("\t", 1) for line in open(path)]
    times = {name: ([], []) for name, _ in commands}
    for _ in range(5):
        for name, command in commands:
            before, start = resource.getrusage(resource.RUSAGE_CHILDREN), os.times().elapsed
            subprocess.run(["bash", "-c", command], check=True, stderr=subprocess.DEVNULL)
            after = resource.getrusage(resource.RUSAGE_CHILDREN)
            times[name][0].append(after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime)
            times[name][1].append(os.times().elapsed - start)
    cpu = {name: statistics.median(of) for name, (of, _) in times.items()}
    wall = {name: statistics.median(of) for name, (_, of) in times.items()}
    for name in cpu:
        print(f"{name:40} {cpu[name]:6.2f} s of processor time, {wall[name]:6.2f} s")
    return cpu, wall
