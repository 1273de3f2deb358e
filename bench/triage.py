#!/usr/bin/env python3
"""How quickly rummage triage opens a store with 100,000 findings and moves through it, and its memory.

  bench/triage.py            the release build; RUMMAGE=PROGRAM names another

Needs Python and a Unix. A site of 1,000 pages with 100 broken links each is made and crawled from a
folder; the view runs on a pseudo-terminal of 140 columns and 40 lines.
"""
import fcntl, os, pty, random, select, shutil, struct, subprocess, sys, tempfile, termios, time

program = os.environ.get("RUMMAGE", os.path.join(os.path.dirname(__file__), "../target/release/rummage"))
program = os.path.abspath(program)
work = tempfile.mkdtemp()
os.chdir(work)
random.seed(7)
WORDS = ["".join(random.choice("abcdefghijklmnoprstuvw") for _ in range(random.randint(3, 9)))
         for _ in range(5000)]


def text(count):
    return " ".join(random.choice(WORDS) for _ in range(count))


os.mkdir("site")
for page in range(1000):
    links = "".join(f'<li><a href="/lost/{page * 100 + at}.html">{text(4)}</a> {text(3)}\n' for at in range(100))
    with open(f"site/p{page}.html", "w") as file:
        file.write(f"<!doctype html><title>{text(3)}</title><main><h1>{text(3)}</h1><p>{text(120)}<ul>{links}</ul></main>")
with open("site/index.html", "w") as file:
    file.write("<!doctype html><title>Big</title>" + "".join(f"<a href=p{page}.html>p{page}</a> " for page in range(1000)))
subprocess.run([program, "crawl", "./site", "--as", "https://c.test/", "--store", "big.db", "-q", "--fail-on", "never",
                "-o", "all.csv"], check=True)

child, terminal = pty.fork()
if child == 0:
    os.environ["TERM"] = "xterm-256color"
    os.execv(program, [program, "triage", "--store", "big.db"])
fcntl.ioctl(terminal, termios.TIOCSWINSZ, struct.pack("HHHH", 40, 140, 0, 0))


def until(wanted, limit=60):
    """The time until the output contains a text."""
    began, seen = time.time(), b""
    while time.time() - began < limit:
        if select.select([terminal], [], [], 0.1)[0]:
            seen += os.read(terminal, 1 << 16)
            if wanted in seen:
                return time.time() - began
    sys.exit(f"no {wanted} within {limit} s")


def settled(gap=0.3):
    """The time until the screen no longer changes."""
    began = last = time.time()
    while time.time() - last < gap:
        if select.select([terminal], [], [], 0.01)[0]:
            os.read(terminal, 1 << 16)
            last = time.time()
    return last - began


print(f"open: the first list after {until(b'100,000'):.2f} s")
settled()
for name, keys in [("one screen down", b"\x1b[6~"), ("the end", b"G"), ("200 screens up", b"\x1b[5~" * 200)]:
    os.write(terminal, keys)
    print(f"{name}: {settled():.2f} s")
os.write(terminal, b"b")
print(f"by page: {until(b'by page'):.2f} s")
settled()
os.write(terminal, b"/99999\r")
print(f"search: {until(b'match'):.2f} s")
with open(f"/proc/{child}/status") as status:
    peak = next(line.split()[1] for line in status if line.startswith("VmHWM"))
print(f"peak memory: {int(peak) / 1024:.0f} MiB")
os.write(terminal, b"q")
os.waitpid(child, 0)
shutil.rmtree(work)
