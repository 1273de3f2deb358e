#!/usr/bin/env python3
"""A fleet of workers on a real PostgreSQL: what it finds, what it survives, how it scales.

  bench/fleet.py             everything; PARTS=equal,kill,shared,scale names some of it
                             the release build; RUMMAGE=PROGRAM names another

Needs Python, Linux, and Debian's postgresql, which does not run as root: an unprivileged user takes its place.
The sites are served by this script on loopback: their hosts end in .test, and every request is
noted with its time.
"""
import asyncio, glob, json, os, random, signal, socket, subprocess, sys, tempfile, threading, time

program = os.path.abspath(os.environ.get("RUMMAGE", os.path.join(os.path.dirname(__file__), "../target/release/rummage")))
parts = os.environ.get("PARTS", "equal,kill,shared,scale").split(",")
work = tempfile.mkdtemp()
os.chmod(work, 0o755)
os.chdir(work)
random.seed(7)

# --- PostgreSQL

found = sorted(glob.glob("/usr/lib/postgresql/*/bin/initdb"))
if not found:
    sys.exit("PostgreSQL is not installed (Debian: postgresql)")
bin = os.path.dirname(found[-1])
unprivileged = ["setpriv", "--reuid", "nobody", "--regid", "nogroup", "--clear-groups"] if os.geteuid() == 0 else []


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


port = free_port()
os.mkdir("pg")
if unprivileged:
    subprocess.run(["chown", unprivileged[2], "pg"], check=True)
subprocess.run([*unprivileged, bin + "/initdb", "-D", "pg/data", "-U", "rummage", "-A", "trust", "--no-sync"], check=True,
               stdout=subprocess.DEVNULL)
database = subprocess.Popen(
    [*unprivileged, bin + "/postgres", "-D", "pg/data", "-p", str(port), "-c", "listen_addresses=127.0.0.1", "-c",
     "unix_socket_directories=", "-c", "max_connections=300"], stdout=subprocess.DEVNULL, stderr=open("pg.log", "w"))
url = f"postgres://rummage@127.0.0.1:{port}/postgres"


def sql(text):
    out = subprocess.run(["psql", "-XqAt", url, "-c", text], capture_output=True, text=True)
    if out.returncode:
        raise RuntimeError(out.stderr)
    return out.stdout.split("\n")[:-1]


for _ in range(100):
    try:
        sql("SELECT 1")
        break
    except RuntimeError:
        time.sleep(0.1)

# --- the web: sN.test with PAGES pages, eN.test with external pages

requests = []  # time, host, path
delay = 0.0
pages, externals = 10, 0


def response(host, path):
    if host.startswith("e"):
        page = path.strip("/")
        number = int(page) if page.isdigit() else 0
        return (404 if number % 5 == 0 else 200), "<!doctype html><title>e</title><p>external"
    page = path.strip("/")
    number = int(page) if page.isdigit() else 0 if not page else pages
    if number >= pages:
        return 404, "<!doctype html><title>no such page</title>"
    links = "".join(f"<a href=/{at}>page {at}</a> " for at in range(number * 3 + 1, min(number * 3 + 4, pages)))
    links += f"<a href=/lost-{number}>lost</a>" if number % 3 == 0 else ""
    if number == 0:
        links += "".join(f"<a href=http://e{at % 10}.test/{at}>external {at}</a> " for at in range(externals))
    return 200, f"<!doctype html><title>{host} {number}</title><main><h1>{number}</h1>{links}" + "<p>text " * 200


async def serve(reader, writer):
    try:
        while True:
            head = (await reader.readuntil(b"\r\n\r\n")).decode("latin-1")
            method, path, _ = head.split("\r\n")[0].split(" ")
            host = next(line[6:] for line in head.split("\r\n") if line.lower().startswith("host: "))
            requests.append((time.time(), host, path))
            if delay:
                await asyncio.sleep(delay)
            status, body = response(host, path)
            body = body.encode()
            writer.write(f"HTTP/1.1 {status} x\r\nContent-Type: text/html\r\nContent-Length: {len(body)}\r\n\r\n".encode()
                         + (b"" if method == "HEAD" else body))
            await writer.drain()
    except (asyncio.IncompleteReadError, ConnectionError):
        pass
    writer.close()


web_port = free_port()


async def web():
    server = await asyncio.start_server(serve, "127.0.0.1", web_port, backlog=1000)
    await server.serve_forever()


def names(names_socket):
    """Every name has an address, which no connection is made to (RFC 1035, section 4.1)."""
    while True:
        query, client = names_socket.recvfrom(512)
        end = query.index(b"\0", 12) + 5
        is_a = query[end - 4:end - 2] == b"\0\1"
        answer = b"\xc0\x0c\0\1\0\1\0\0\0\x3c\0\4" + bytes([192, 0, 2, 1]) if is_a else b""
        names_socket.sendto(query[:2] + b"\x81\x80\0\1" + (b"\0\1" if is_a else b"\0\0") + b"\0" * 4 + query[12:end] + answer, client)


names_socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
names_socket.bind(("127.0.0.1", 0))
threading.Thread(target=names, args=(names_socket,), daemon=True).start()
threading.Thread(target=lambda: asyncio.run(web()), daemon=True).start()
environment = {**os.environ, "RUMMAGE_DATABASE_URL": url, "RUMMAGE_CONNECT": f"*.test=127.0.0.1:{web_port}",
               "RUMMAGE_DNS": "127.0.0.1:%d" % names_socket.getsockname()[1], "TZ": "UTC"}

# --- workers


def rummage(*words, check=True):
    done = subprocess.run([program, *words], env=environment, capture_output=True, text=True)
    if check and done.returncode not in (0, 1):
        sys.exit(done.stderr)
    return done.stdout


def fresh(sites):
    """An empty fleet with this many sites."""
    sql("DROP SCHEMA IF EXISTS rummage CASCADE")
    rummage("fleet", "prepare")
    with open("rummage.toml", "w") as file:
        file.write('[defaults]\ntimeout = "5s"\n')
        for at in range(sites):
            file.write(f'[site.s{at}]\nstart = "http://s{at}.test/"\n')
    rummage("fleet", "sites", "import", "rummage.toml")
    requests.clear()


count = 0


def worker(*more):
    global count
    count += 1
    return subprocess.Popen([program, "fleet", "work", "--folder", f"w{count}", "--name", f"w{count}", "--log", "json",
                             *more], env=environment, stderr=open(f"w{count}.log", "w"))


def done():
    return int(sql("SELECT count(*) FROM rummage.site WHERE run_state = 'finished' AND worker IS NULL")[0])


def homes(sites):
    """How often the home page of each site was requested."""
    counts = {}
    for _, host, path in requests:
        if path == "/" and host.startswith("s"):
            counts[host] = counts.get(host, 0) + 1
    return [counts.get(f"s{at}.test", 0) for at in range(sites)]


def findings(text):
    rows = [json.loads(line) for line in text.split("\n") if line]
    return sorted((row["verdict"], row["cause"], row["target"], row["page"], row["line"], row["column"]) for row in rows)


if "equal" in parts:
    sites, externals = 200, 5
    fresh(sites)
    began = time.time()
    for one in [worker("--once", "--external-rate", "1000/s") for _ in range(3)]:
        one.wait()
    took = time.time() - began
    counts = homes(sites)
    fleet = findings(rummage("findings", "--fleet", "--format", "jsonl"))
    alone = []
    for at in range(sites):
        alone += findings(rummage("crawl", f"s{at}", "--store", f"alone{at}.db", "--format", "jsonl", "-q"))
    print(f"equal: {sites} sites, 3 workers, {took:.1f} s; each home page requested {min(counts)} to {max(counts)} times;"
          f" {len(fleet)} findings, those of single crawls: {fleet == sorted(alone)}")

if "kill" in parts:
    sites, externals, delay = 150, 5, 0.1
    fresh(sites)
    running = [worker("--sites", "2", "--external-rate", "1000/s") for _ in range(3)]
    began, kills = time.time(), 0
    while time.time() - began < 60:
        time.sleep(random.uniform(2, 5))
        victim = running.pop(random.randrange(len(running)))
        victim.kill()
        victim.wait()
        kills += 1
        running.append(worker("--sites", "2", "--external-rate", "1000/s"))
    while done() < sites and time.time() - began < 400:
        time.sleep(0.5)
    took = time.time() - began
    for one in running:
        one.terminate()
    for one in running:
        one.wait()
    counts = homes(sites)
    # Two passes over one site at once: requests for its pages in turns, home page in between.
    lost = sites - done()
    fleet = findings(rummage("findings", "--fleet", "--format", "jsonl"))
    alone = []
    for at in range(sites):
        alone += findings(rummage("crawl", f"s{at}", "--store", f"alone-k{at}.db", "--format", "jsonl", "-q"))
    gaps = []
    for at in range(sites):
        times = sorted(when for when, host, path in requests if host == f"s{at}.test" and path == "/")[:counts[at]]
        gaps += [later - earlier for earlier, later in zip(times, times[1:])]
    print(f"kill: {sites} sites, {kills} workers killed in 60 s, all done after {took:.0f} s; {lost} sites lost;"
          f" {sum(counts) - sites} passes begun again, the earliest {min(gaps, default=0):.0f} s after the one before;"
          f" findings equal: {fleet == sorted(alone)}")
    delay = 0.0

if "shared" in parts:
    sites, externals = 500, 50
    fresh(sites)
    began = time.time()
    for one in [worker("--once", "--sites", "8", "--external-rate", "20/s") for _ in range(3)]:
        one.wait()
    took = time.time() - began
    counts, by_host = {}, {}
    for when, host, path in requests:
        if host.startswith("e"):
            if path.strip("/").isdigit():
                counts[host, path] = counts.get((host, path), 0) + 1
            by_host.setdefault(host, []).append(when)
    rates = [sum(1 for when in times if start <= when < start + 1) for times in by_host.values() for start in times]
    fine = [times for (host, path), times in counts.items() if int(path.strip("/")) % 5]
    print(f"shared: {sites} sites with the same {externals} external URLs, 3 workers, {took:.1f} s; a working one was"
          f" requested {min(fine)} to {max(fine)} times, a lost one up to {max(counts.values())};"
          f" at most {max(rates)} requests to a host within a second (limit 20)")

if "scale" in parts:
    sites, externals, delay = 240, 0, 0.2
    base = None
    for workers in (1, 2, 4):
        fresh(sites)
        before = sum(int(row) for row in sql("SELECT xact_commit FROM pg_stat_database WHERE datname = 'postgres'"))
        began = time.time()
        for one in [worker("--once", "--sites", "4") for _ in range(workers)]:
            one.wait()
        took = time.time() - began
        time.sleep(1)
        after = sum(int(row) for row in sql("SELECT xact_commit FROM pg_stat_database WHERE datname = 'postgres'"))
        size = int(sql("SELECT sum(length(data)) FROM rummage.chunk")[0])
        base = base or took
        print(f"scale: {sites} sites of {pages} pages, 200 ms a response, {workers} workers: {took:.1f} s, ratio"
              f" {base / took:.2f}; {(after - before) / sites:.0f} transactions and {size / sites / 1000:.1f} KB of store a site")

database.send_signal(signal.SIGINT)
database.wait()
