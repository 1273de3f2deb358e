#!/usr/bin/env bash
# How long a crawl of 5,000 pages takes, compared with curl downloading the same URLs.
#
#   bench/crawl.sh [ROUNDS]
#
# Needs nginx, curl and GNU time (Debian: nginx-light curl time). The site is made
# by crates/demo/examples/large_site.rs under target/bench and served on loopback;
# nginx is started and stopped by this script. Times are noisy: what
# counts is the ratio within one run. RUMMAGE names another program to measure.
set -euo pipefail
cd "$(dirname "$0")/.."
rounds=${1:-5}
work=target/bench
port=${PORT:-8931}
again=$((port + 1))
mkdir -p "$work/nginx"

if [ -z "${RUMMAGE:-}" ]; then
  cargo build --release --quiet
  RUMMAGE=target/release/rummage
fi
[ -e "$work/site/index.html" ] ||
  cargo run --release --quiet -p rummage-demo --example large_site -- "$work/site" 5000

cat >"$work/nginx.conf" <<CONF
worker_processes 1;
pid nginx.pid;
error_log error.log;
daemon off;
events { worker_connections 1024; }
http {
  types { text/html html; text/css css; image/jpeg jpg; }
  log_format bytes '\$bytes_sent';
  access_log off;
  sendfile on;
  keepalive_requests 100000;
  client_body_temp_path body; proxy_temp_path proxy; fastcgi_temp_path fcgi;
  uwsgi_temp_path uwsgi; scgi_temp_path scgi;
  server { listen 127.0.0.1:$port; root $PWD/$work/site; }
  server { listen 127.0.0.1:$again; root $PWD/$work/site; access_log bytes bytes; }
}
CONF
nginx -p "$PWD/$work/nginx/" -c "$PWD/$work/nginx.conf" &
server=$!
trap 'kill $server' EXIT
until curl -s -o /dev/null "http://127.0.0.1:$port/"; do :; done

# The list for curl: every address of the site once.
(cd "$work/site" && find . -type f) | sort |
  sed -E "s|^\./(.*)|url = \"http://127.0.0.1:$port/\1\"\noutput = /dev/null|" >"$work/all.curl"

seconds() { # runs a command, prints its seconds and its peak memory in MiB
  local out
  out=$( { command time -f '%e %M' "$@" >/dev/null 2>"$work/stderr"; } 2>&1; tail -n 1 "$work/stderr")
  echo "$out" | awk '{ printf "%s %.0f\n", $1, $2 / 1024 }'
}

echo "round  curl(s)  rummage(s)  ratio  rummage(MiB)"
for round in $(seq "$rounds"); do
  read -r curl _ < <(seconds curl --silent --parallel --parallel-max 64 --config "$work/all.curl")
  rm -f "$work"/store.db*
  read -r crawl memory < <(seconds "$RUMMAGE" crawl "127.0.0.1:$port" --externals note \
    --store "$work/store.db" --quiet)
  awk -v n="$round" -v a="$curl" -v b="$crawl" -v m="$memory" \
    'BEGIN { printf "%5d  %7.2f  %10.2f  %5.2f  %12d\n", n, a, b, b / a, m }'
done
"$RUMMAGE" findings --store "$work/store.db" | head -n 4
ls -l "$work/store.db" | awk '{ printf "store: %.1f MiB\n", $5 / 1048576 }'

# The same site twice over, unchanged: what a second crawl costs compared with the first.
bytes() { awk '{ sum += $1 } END { print sum + 0 }' "$work/nginx/bytes"; }
rm -f "$work"/twice.db*
: >"$work/nginx/bytes"
crawl=("$RUMMAGE" crawl "127.0.0.1:$again" --externals note --store "$work/twice.db" --quiet)
read -r first _ < <(seconds "${crawl[@]}")
size=$(stat -c %s "$work/twice.db")
sent=$(bytes) before=$(bytes)
for round in $(seq "$rounds"); do
  read -r second memory < <(seconds "${crawl[@]}")
  now=$(bytes)
  grown=$(stat -c %s "$work/twice.db")
  awk -v n="$round" -v a="$first" -v b="$second" -v x="$sent" -v y="$((now - before))" \
    -v s="$size" -v g="$((grown - size))" -v m="$memory" \
    'BEGIN { printf "again %d: %.2f s compared with %.2f s (%.2f), %.2f %% of the bytes, store +%.1f %%, %d MiB\n",
             n, b, a, b / a, 100 * y / x, 100 * g / s, m }'
  size=$grown before=$now
done
