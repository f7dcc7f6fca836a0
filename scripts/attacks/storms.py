"""What is wrong with the surroundings while wyard works: others who race it, a disk that goes, no memory, servers without an end."""

import hashlib
import http.server
import os
import shutil
import signal
import ssl
import subprocess
import threading
import time
from pathlib import Path

# As another user: exchanges an archive, all the time, for another one and a link.
EXCHANGE = """
import os, sys
folder, good, evil = sys.argv[1:]
there = os.path.join(folder, "neap-2.1.tar.gz")
while True:
    for source in [good, evil, good, None]:
        new = os.path.join(folder, "new")
        if source is None:
            os.symlink("/etc/shadow", new)
        else:
            with open(source, "rb") as read, open(new, "wb") as written:
                written.write(read.read())
        os.rename(new, there)
"""


def race(place, tool, mallory, expect):
    """Root receives for everybody what another user exchanges meanwhile."""
    theirs, keep = place.folder("theirs", owner=mallory), place.folder("keep")
    good, evil = keep / "good", keep / "evil"
    shutil.move(tool("neap", "2.1", "good"), good)
    shutil.move(tool("neap", "2.1", "evil"), evil)
    published = hashlib.sha256(good.read_bytes()).hexdigest()
    other = subprocess.Popen(["/usr/bin/python3", "-c", EXCHANGE, theirs, good, evil], user=mallory, group=mallory, extra_groups=[],
                             cwd="/", stderr=subprocess.DEVNULL)
    outcomes = {}
    try:
        while not (theirs / "neap-2.1.tar.gz").exists():
            time.sleep(0.02)
        for number in range(16):
            yard = place.folder(f"yard-{number}")
            (yard / "settings.toml").write_text('shells = ["bash"]\n')
            call = place.command("receive", theirs / "neap-2.1.tar.gz", "--sha256", published, "--scope", "system", WYARD_YARD=str(yard))
            done = subprocess.run(**call, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
            outcomes[done.returncode] = outcomes.get(done.returncode, 0) + 1
            expect("panicked" not in done.stdout, done.stdout)
            for program in yard.rglob("bin/neap"):
                expect("good" in program.read_text(), f"not what was published was installed:\n{done.stdout}")
            for path in yard.rglob("*"):
                seen = path.lstat()
                safe = seen.st_uid == 0 and (path.is_symlink() or not seen.st_mode & 0o022)
                expect(safe, f"{path} is {seen.st_uid}'s, {seen.st_mode:o}")
    finally:
        other.kill()
        other.wait()
    expect(set(outcomes) <= {0, 1, 2, 3, 4} and set(outcomes) & {3}, f"the exchange was never seen: {outcomes}")


def writers(place, tool, user, expect, go):
    """Twenty calls at a time write into a yard whose disk becomes read-only, or goes."""
    place.yard.mkdir(parents=True)
    subprocess.run(["mount", "-t", "tmpfs", "-o", f"uid={user},gid={user},mode=700", "none", place.yard], check=True)
    (place.yard / "settings.toml").write_text('shells = ["bash"]\n')
    mine = "# mine: äöü\nexport MINE=1\n"
    for file in [".bashrc", ".profile"]:
        place.write(f"home/{file}", mine, owner=user)
    subprocess.run(["chown", "-R", f"{user}:{user}", place.home], check=True)
    running = [subprocess.Popen(**place.command("receive", tool(f"tool{number}", "1.0", "said")), stdin=subprocess.DEVNULL,
                                stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True) for number in range(20)]
    try:
        while not list(place.yard.glob("cards/*/*.toml")):
            time.sleep(0.02)
            expect(any(one.poll() is None for one in running), "they ended before the disk went")
        subprocess.run(["chmod", "-R", "a-w", place.yard] if go == "read-only" else ["umount", "-l", place.yard], check=True)
        done = {Path(one.args[2]).name.split("-")[0]: (one.communicate(timeout=180)[0], one.returncode) for one in running}
        codes = {code for _, code in done.values()}
        expect(codes <= {0, 1, 2, 4} and codes & {2, 4}, f"{go}: exit codes {codes}")
        expect(not any("panicked" in out for out, _ in done.values()), f"{go}: a panic")
        kept(place, mine, go, expect)
        if go == "read-only":
            subprocess.run(["chmod", "-R", "u+w", place.yard], check=True)
            place.wyard("stock", "--mend", ends=0)
            kept(place, mine, go, expect)
            stock = place.wyard("stock", ends=0).out
            for name, (out, code) in done.items():
                expect(code != 0 or f"{name} " in stock, f"{name} was received, and is not in the stock:\n{out}\n{stock}")
            place.wyard("check", ends=0)
    finally:
        for one in running:
            one.kill()
            one.wait()
        subprocess.run(["umount", "-l", place.yard], stderr=subprocess.DEVNULL, check=False)


def kept(place, mine, go, expect):
    for file in [".bashrc", ".profile"]:
        text = (place.home / file).read_text()
        expect(text.startswith(mine), f"{go}: {file} has lost something:\n{text}")


def memory(place, pack, user, expect):
    """A probe takes all memory of its group of processes, in which somebody else is at work."""
    group = next((Path(path) / "wyard-attack" for path in ["/sys/fs/cgroup/memory", "/sys/fs/cgroup", "/sys/fs/cgroup/unified"]
                  if (Path(path) / "cgroup.procs").exists() and "memory" in controllers(Path(path))), None)
    if group is None:
        return "skipped: no group of processes can be given a limit here"
    program = "#!/usr/bin/python3\nkept = []\nwhile True:\n    kept.append(bytearray(b'x') * (16 << 20))\n"
    archive = pack("hog", "1.0", program)
    group.mkdir()
    limit = next(group / name for name in ["memory.max", "memory.limit_in_bytes"] if (group / name).exists())
    limit.write_text(str(600 << 20))
    enter = f'echo $$ > {group}/cgroup.procs; exec "$@"'
    other = subprocess.Popen(["sh", "-c", enter, "sh", "sleep", "600"])
    try:
        for level in ["full", "shared-processes", "no-writes"]:
            place.yard.mkdir(parents=True, exist_ok=True)
            (place.yard / "settings.toml").write_text(f'seal = "{level}"\nshells = ["bash"]\n')
            subprocess.run(["chown", "-R", f"{user}:{user}", place.home], check=True)
            identity = ["setpriv", "--reuid", str(user), "--regid", str(user), "--clear-groups"]
            call = place.command("receive", archive, "--replace") | dict(user=None, group=None, extra_groups=None)
            call["args"] = ["sh", "-c", enter, "sh", *identity, *call["args"]]
            done = subprocess.run(**call, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
                                  timeout=120)
            expect(done.returncode == 1 and "does-not-start" in done.stdout, f"{level}: exit {done.returncode}\n{done.stdout}")
            expect(other.poll() is None, f"{level}: somebody else's process was ended")
    finally:
        other.kill()
        other.wait()
        time.sleep(0.2)
        group.rmdir()
    return None


def controllers(folder):
    file = folder / "cgroup.controllers"
    return file.read_text() if file.exists() else folder.name


def servers(place, tool, mounted, expect):
    """A body without an end, and one of which a byte comes now and then, over https."""
    expect(shutil.which("openssl"), "openssl is not installed")
    key, certificate, authority = place.root / "key.pem", place.root / "certificate.pem", place.root / "authority.pem"
    new = ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2"]
    subprocess.run([*new, "-keyout", place.root / "authority.key", "-out", authority, "-subj", "/CN=Brackwater"], check=True,
                   stderr=subprocess.DEVNULL)
    subprocess.run([*new, "-keyout", key, "-out", certificate, "-subj", "/CN=localhost", "-CA", authority,
                    "-CAkey", place.root / "authority.key", "-addext", "subjectAltName=DNS:localhost",
                    "-addext", "basicConstraints=critical,CA:FALSE"], check=True, stderr=subprocess.DEVNULL)
    archive = tool("neap", "2.1", "said").read_bytes()

    class Server(http.server.BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def log_message(self, *_):
            pass

        def do_GET(self):
            self.send_response(200)
            whole = self.path.endswith("/neap-2.1.tar.gz")
            if whole:
                self.send_header("Content-Length", str(len(archive)))
            else:
                self.send_header("Transfer-Encoding", "chunked")
            self.end_headers()
            try:
                if whole:
                    self.wfile.write(archive)
                while not whole:
                    slow = "drip" in self.path
                    piece = b"x" if slow else bytes(1 << 16)
                    self.wfile.write(f"{len(piece):x}\r\n".encode() + piece + b"\r\n")
                    time.sleep(0.3 if slow else 0)
            except OSError:
                self.close_connection = True

    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Server)
    server.daemon_threads = True
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(certificate, key)
    server.socket = context.wrap_socket(server.socket, server_side=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    address = f"https://localhost:{server.server_address[1]}"
    small = mounted(place, "small", "30m")
    yard = small / "yard"
    yard.mkdir()
    (yard / "settings.toml").write_text(f'shells = ["bash"]\ncertificates = "{authority}"\n')
    try:
        done = place.wyard("receive", f"{address}/endless-1.0.tar.gz", WYARD_YARD=str(yard))
        expect(done.code == 4 and "No space left" in done.out, f"endless: exit {done.code}\n{done.out}")
        room = os.statvfs(small)
        expect(room.f_bavail * room.f_frsize > 25 << 20, "an endless body has left the disk full")
        done = place.wyard("receive", f"{address}/neap-2.1.tar.gz", "--checksums", f"{address}/endless.txt", WYARD_YARD=str(yard))
        expect(done.code == 3 and "larger than" in done.out, f"endless list: exit {done.code}\n{done.out}")
        running = subprocess.Popen(**place.command("receive", f"{address}/drip-1.0.tar.gz", WYARD_YARD=str(yard)),
                                   stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
        while not [part for part in yard.rglob("part") if part.stat().st_size > 3]:
            expect(running.poll() is None, "the drip was given up")
            time.sleep(0.1)
        running.send_signal(signal.SIGINT)
        out, _ = running.communicate(timeout=10)
        expect(running.returncode == 130, f"drip: exit {running.returncode}\n{out}")
    finally:
        server.shutdown()
        subprocess.run(["umount", "-l", small], check=True)
