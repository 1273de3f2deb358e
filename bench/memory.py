#!/usr/bin/env python3
"""Memory of a crawl of many pages by HTTP.

  bench/memory.py [PAGES]    the release build; RUMMAGE=PROGRAM names another

Serves PAGES (200,000) small pages on loopback, each with three links of a menu, three to new
pages and four to others, crawls them, and prints the time and the peak memory of the crawl.
Needs Python and a Unix.
"""
import asyncio
import os
import resource
import subprocess
import sys
import tempfile
import threading
import time

PAGES = int(sys.argv[1]) if len(sys.argv) > 1 else 200_000
BUILT = os.path.join(os.path.dirname(__file__), "../target/release/rummage")
PROGRAM = os.environ.get("RUMMAGE", BUILT)
WORDS = ("boat lock gate towpath keeper winter ledger pound bridge reeds iron stone wharf horse "
         "toll pump").split()


def words(number):
    state = number * 0x9E3779B97F4A7C15 % 2**64
    chosen = []
    for _ in range(12):
        state = (state * 0xBF58476D1CE4E5B9 + 1) % 2**64
        chosen.append(WORDS[state >> 60])
    return " ".join(chosen)


def page(number):
    links = [f'<li><a href="/p/{menu}">Part {menu}</a></li>' for menu in (1, 2, 3)]
    for new in range(3 * number + 1, min(3 * number + 4, PAGES)):
        links.append(f'<p><a href="/p/{new}">On to page {new}</a></p>')
    for other in range(1, 5):
        to = (number * 0x9E3779B9 + other * 0x7F4A7C15) % PAGES
        links.append(f'<p>Some words, and <a href="/p/{to}">{words(to)}</a>.</p>')
    links = "\n".join(links)
    return (f'<title>Page {number}</title><h1 id="top">Page {number}</h1><main>{links}'
            f"<p>{words(number)}</p></main>")


def response(path):
    number = path.removeprefix("/p/") if path != "/" else "0"
    if not number.isdigit() or int(number) >= PAGES:
        return b"HTTP/1.1 404 Not Found\r\nContent-Length: 0\r\n\r\n"
    body = page(int(number)).encode()
    head = f"HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length: {len(body)}\r\n\r\n"
    return head.encode() + body


class Server(asyncio.Protocol):
    def connection_made(self, transport):
        self.transport, self.received = transport, b""

    def data_received(self, data):
        self.received += data
        while b"\r\n\r\n" in self.received:
            head, self.received = self.received.split(b"\r\n\r\n", 1)
            self.transport.write(response(head.split(b" ", 2)[1].decode()))


def serve(ready):
    async def main():
        server = await asyncio.get_running_loop().create_server(Server, "127.0.0.1", 0)
        ready.append(server.sockets[0].getsockname()[1])
        await server.serve_forever()

    asyncio.run(main())


ready = []
threading.Thread(target=serve, args=(ready,), daemon=True).start()
while not ready:
    time.sleep(0.01)
with tempfile.TemporaryDirectory() as folder:
    began = time.time()
    store = os.path.join(folder, "store.db")
    command = [PROGRAM, "crawl", f"127.0.0.1:{ready[0]}", "--store", store, "--quiet"]
    subprocess.run(command, stdout=subprocess.DEVNULL, check=True)
    took = time.time() - began
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
    print(f"{PAGES} pages in {took:.1f} s, {peak / 1024:.0f} MiB at most")
