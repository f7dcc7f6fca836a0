"""The seals, attacked by a program in them: scripts/attack calls this for each level, for root and for an ordinary user."""

import concurrent.futures
import ctypes
import hashlib
import json
import os
import pty
import select
import shutil
import signal
import socket
import subprocess
import sys
import tarfile
import tempfile
import threading
import time
from pathlib import Path

BREAKER = Path(__file__).parent / "breaker"
NO_LANDLOCK = Path(__file__).parent / "no-landlock"
SOCKETS = ["home", "tmp", "vartmp", "shm", "opt", "run"]
PIPES = ["home", "opt", "run"]

# Waits, and says what happens to it.
VICTIM = """
import ctypes, signal, sys, time
buffer = ctypes.create_string_buffer(b"as it was")
def signalled(*_):
    open(sys.argv[1] + "/signalled", "w").close()
signal.signal(signal.SIGUSR1, signalled)
open(sys.argv[1] + "/memory", "w").write(str(ctypes.addressof(buffer)))
while True:
    time.sleep(60)
"""


class World:
    """What is to be attacked, and what is heard of attacks."""

    def __init__(self, user, but):
        self.user, self.heard, self.over = user, set(), threading.Event()
        self.mark = "made-up-" + hashlib.sha256(os.urandom(8)).hexdigest()[:12]
        self.folders = {place: Path(tempfile.mkdtemp(prefix="wyard-world-", dir=above)) for place, above in [
            ("home", "/var/tmp"), ("tmp", "/tmp"), ("vartmp", "/var/tmp"), ("shm", "/dev/shm"), ("opt", "/opt"), ("run", "/run")]}
        for folder in self.folders.values():
            aims = folder / "aims"
            aims.mkdir()
            for name in ["written", "removed", "mode", "times", "attribute", "had-attribute", "flags", "truncated", "renamed",
                         "linked", "owner"]:
                (aims / name).write_text("as it was")
            if folder == self.folders["home"]:
                os.setxattr(aims / "had-attribute", "user.there", b"1")
            subprocess.run(["chown", "-R", f"{user}:{user}", folder], check=True)
        self.home = self.folders["home"]
        self.keep = []
        sockets = {place: str(self.folders[place] / "socket") for place in SOCKETS}
        for path in sockets.values():
            self.listen(socket.AF_UNIX, socket.SOCK_STREAM, path)
            self.listen(socket.AF_UNIX, socket.SOCK_DGRAM, path + ".datagram")
        self.listen(socket.AF_UNIX, socket.SOCK_STREAM, "\0" + self.mark)
        tcp = self.listen(socket.AF_INET, socket.SOCK_STREAM, ("127.0.0.1", 0))
        udp = self.listen(socket.AF_INET, socket.SOCK_DGRAM, ("127.0.0.1", 0))
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        self.pipes = {place: str(self.folders[place] / "pipe") for place in PIPES}
        for path in self.pipes.values():
            os.mkfifo(path)
            self.give(path)
            self.watch(os.open(path, os.O_RDWR | os.O_NONBLOCK))
        master, slave = pty.openpty()
        self.keep.append(slave)
        terminal = os.ttyname(slave)
        self.give(terminal)
        self.watch(master)
        place = self.folders["tmp"]
        self.output = open(place / "output", "a")
        self.give(place / "output")
        self.victim = subprocess.Popen(["/usr/bin/python3", "-c", VICTIM, str(place)], stdout=self.output, stdin=subprocess.DEVNULL,
                                       user=user, group=user, extra_groups=[])
        self.priority = os.getpriority(os.PRIO_PROCESS, self.victim.pid)
        while not (place / "memory").exists() or not (place / "memory").read_text():
            time.sleep(0.02)
        self.memory = int((place / "memory").read_text())
        self.key = int(self.mark[-6:], 16)
        self.told = dict(mark=self.mark, places={name: str(path) for name, path in self.folders.items()}, sockets=sockets,
                         pipes=self.pipes, tcp=tcp, udp=udp, free=port, terminal=terminal, victim=self.victim.pid,
                         memory=self.memory, key=self.key, but=but)
        threading.Thread(target=self.knock, args=[port], daemon=True).start()
        (self.home / "world.json").write_text(json.dumps(self.told))
        self.give(self.home / "world.json")
        self.program = BREAKER.read_text().replace("@WORLD@", repr(str(self.home / "world.json")))
        self.before = self.picture()
        self.mounts = Path("/proc/self/mounts").read_text()
        self.names = self.machine()

    def give(self, path):
        os.chown(path, self.user, self.user)

    def listen(self, family, kind, at):
        taker = socket.socket(family, kind)
        taker.bind(at)
        if isinstance(at, str) and not at.startswith("\0"):
            os.chmod(at, 0o777)
        if kind == socket.SOCK_STREAM:
            taker.listen()
            threading.Thread(target=self.accept, args=[taker], daemon=True).start()
        else:
            self.watch(taker.fileno())
        self.keep.append(taker)
        return taker.getsockname()[1] if family == socket.AF_INET else None

    def accept(self, taker):
        while True:
            try:
                link, _ = taker.accept()
            except OSError:
                return
            link.settimeout(1)
            try:
                self.heard.add(link.recv(100).decode() or "a connection")
            except OSError:
                self.heard.add("a connection")

    def watch(self, descriptor):
        def look():
            while not self.over.is_set():
                ready, _, _ = select.select([descriptor], [], [], 0.2)
                if ready:
                    self.heard |= set(os.read(descriptor, 100).decode().split())
        threading.Thread(target=look, daemon=True).start()

    def knock(self, port):
        while not self.over.wait(0.3):
            try:
                socket.create_connection(("127.0.0.1", port), 0.2).close()
                self.heard.add("listen_for_others")
            except OSError:
                pass

    def picture(self):
        """Whatever changes a file changes this time of it, which nobody can set."""
        return {str(path): (path.lstat().st_ctime_ns, path.lstat().st_ino)
                for folder in self.folders.values() for path in (folder / "aims").rglob("*")}

    def machine(self):
        domain = Path("/proc/sys/kernel/domainname").read_text()
        return [socket.gethostname(), domain, str(sorted(Path("/sys/fs/cgroup").glob(self.mark)))]

    def came_through(self):
        """All that is to be seen of attacks by now."""
        found = set(self.heard)
        after = self.picture()
        found |= {f"changed: {path}" for path in {*self.before, *after} if self.before.get(path) != after.get(path)}
        if Path("/proc/self/mounts").read_text() != self.mounts:
            found.add("mounts")
        if self.machine() != self.names:
            found.add("the machine's names")
        for kind in ["shm", "msg", "sem"]:
            lines = Path(f"/proc/sysvipc/{kind}").read_text().splitlines()[1:]
            if any(int(line.split()[0]) == self.key for line in lines):
                found.add(f"System V: {kind}")
        library = ctypes.CDLL("librt.so.1")
        if library.mq_open(f"/{self.mark}".encode(), os.O_RDWR) >= 0:
            library.mq_unlink(f"/{self.mark}".encode())
            found.add("posix_queue")
        for reader in {0, self.user}:
            keys = subprocess.run(["cat", "/proc/keys"], user=reader, group=reader, extra_groups=[], stdout=subprocess.PIPE, text=True)
            found |= {f"key: {line}" for line in keys.stdout.splitlines() if self.mark in line}
        if self.mark in subprocess.run(["dmesg"], stdout=subprocess.PIPE, text=True, errors="replace").stdout:
            found.add("the log of the kernel")
        for entry in Path("/proc").glob("[0-9]*/cmdline"):
            try:
                line = entry.read_bytes()
            except OSError:
                continue
            if line.startswith(self.mark.encode()):
                found.add(f"left at work: {line.split(bytes(1))[0].decode()}")
                os.kill(int(entry.parent.name), signal.SIGKILL)
        pid = self.victim.pid
        if self.victim.poll() is not None:
            found.add("another process was ended")
            return found
        if (self.folders["tmp"] / "signalled").exists():
            found.add("another process was signalled")
        if (self.folders["tmp"] / "output").read_text():
            found.add("written into the output of another process")
        status = Path(f"/proc/{pid}/limits").read_text()
        if "77 " in [line for line in status.splitlines() if line.startswith("Max open files")][0]:
            found.add("limits of another process")
        if os.getpriority(os.PRIO_PROCESS, pid) != self.priority:
            found.add("priority of another process")
        if Path(f"/proc/{pid}/oom_score_adj").read_text().strip() == "500":
            found.add("oom_score_adj of another process")
        with open(f"/proc/{pid}/mem", "rb") as memory:
            memory.seek(self.memory)
            if memory.read(9) != b"as it was":
                found.add("memory of another process")
        return found

    def end(self):
        self.over.set()
        self.victim.kill()
        self.victim.wait()
        for folder in self.folders.values():
            subprocess.run(["chattr", "-R", "-f", "-A", folder], stderr=subprocess.DEVNULL, check=False)
            shutil.rmtree(folder, ignore_errors=True)


def attempts(world):
    path = world.home / "list"
    path.write_text(world.program)
    listed = subprocess.run([sys.executable, path, "--list"], stdout=subprocess.PIPE, text=True, check=True).stdout.split()
    path.unlink()
    return [name for name in listed if name not in world.told["but"]]


def packed(folder, name, version, program):
    source = folder / "packed"
    source.write_text(program)
    source.chmod(0o755)
    archive = folder / f"{name}-{version}.tar.gz"
    with tarfile.open(archive, "w:gz") as out:
        out.add(source, f"{name}-{version}/bin/{name}")
    return archive


def run(program, level, user, kind, has_landlock=True):
    """Attacks once: what came through, how many attempts were made, and why it cannot be told."""
    but = []
    if kind == "startup":
        # These have the network, and what others listen at under a name in folders that are not theirs.
        but = ["tcp", "udp", "listen_for_others", "kill_who_watches", "signal_all"]
        named = SOCKETS if level == "no-writes" else ["opt", "run"]
        but += [f"{verb}_{place}" for verb in ["connect", "send"] for place in named]
    world = World(user, but)
    try:
        yard = world.home / ".local/share/wagon-yard"
        yard.mkdir(parents=True)
        (yard / "settings.toml").write_text(
            f'seal = "{level}"\nshells = ["bash"]\nshell_seconds = 60\nprobe_seconds = 60\n')
        subprocess.run(["chown", "-R", f"{user}:{user}", world.home / ".local"], check=True)
        number = len(attempts(world))
        if kind == "probe":
            archive, name = packed(world.home, "breaker", "1.0", world.program), "breaker"
        else:
            archive, name = packed(world.home, "neap", "2.1", "#!/bin/sh\necho neap 2.1\n"), "neap"
            breaker = world.home / "breaker"
            breaker.write_text(world.program)
            breaker.chmod(0o755)
            for file in [".bashrc", ".profile"]:
                (world.home / file).write_text(f"{breaker} >/dev/null 2>&1 && export WHOLE=1\n")
                world.give(world.home / file)
        environment = {"HOME": str(world.home), "PATH": "/usr/bin:/bin", "SHELL": "/bin/bash", "TERM": "dumb"}
        call = [str(program), "receive", str(archive), "--json", *(["--unsealed"] if level == "none" else [])]
        if not has_landlock:
            call = ["/usr/bin/python3", "-c", NO_LANDLOCK.read_text(), *call]
        if kind == "startup":
            call += ["--requires-variable", "WHOLE"]
        done = subprocess.run(call, env=environment, cwd=world.home, user=user, group=user, extra_groups=[],
                              stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, timeout=300)
        why = judged(done, level, kind)
        time.sleep(0.5)
        return world.came_through(), number, why
    finally:
        world.end()


def judged(done, level, kind):
    """Why it is not sure that all attempts were made, at this level."""
    try:
        report = json.loads(done.stdout)["check"]
    except (ValueError, KeyError, TypeError):
        return f"no report: {done.stdout[:400]} {done.stderr[:400]}"
    command = report["commands"][0]
    seals = {result["seal"] for result in command["caller_results"]} | {command["seal"]}
    if seals != {level}:
        return f"at {seals}"
    if kind == "probe" and command["answered_version"] != "1.0":
        return f"it did not get to its end: {[finding['seen'] for finding in command['findings']]}"
    if kind == "startup" and any(need["verdict"] != "good" for need in report["requirements"]):
        return f"the startup file did not get to its end: {report['requirements']}"
    return None


def configurations():
    """Level, user, who attacks, whether the kernel has Landlock, and what is known to come through."""
    for level in ["full", "shared-processes", "no-writes"]:
        for user in [0, 47111]:
            for kind in ["probe", "startup"]:
                yield level, user, kind, True, set()
    # What Landlock alone keeps out, docs/security.md says.
    for level in ["full", "shared-processes"]:
        yield level, 47111, "probe", False, set()
        yield level, 47111, "startup", False, {"abstract_socket", "pipe_run"}


def all_held(program, told):
    """Attacks in every configuration, several at a time; what came through, with `told` called for each."""
    def one(configuration):
        level, user, kind, has_landlock, known = configuration
        found, number, why = run(program, level, user, kind, has_landlock)
        name = f"{level}, {'root' if user == 0 else 'a user'}, {kind}{'' if has_landlock else ', no Landlock'}"
        return name, sorted(found - known), number, why

    broken = []
    with concurrent.futures.ThreadPoolExecutor(2) as pool:
        for name, found, number, why in pool.map(one, configurations()):
            told(f"       {name}: {number} attempts, {len(found)} came through")
            broken += [f"{name}: {what}" for what in found + ([why] if why else [])]
    # Without a seal most come through: the attempts are real, and seen.
    found, number, _ = run(program, "none", 47111, "probe")
    told(f"       none: {number} attempts, {len(found)} came through")
    if len(found) < 50:
        broken.append(f"without a seal only this came through: {sorted(found)}")
    return broken

