#!/usr/bin/env bash
# How a crawl of 218 pages goes on a server that takes 20 requests a second: what it takes
# compared with the limit, and how many requests are refused. nginx refuses with 429, or with
# 503, its default; requests that come too fast wait, or are served at once until the burst is
# used up.
#
#   bench/rate.sh
#
# Needs nginx (Debian: nginx-light). RUMMAGE names another program to measure.
set -euo pipefail
cd "$(dirname "$0")/.."
work=$PWD/target/bench
port=${PORT:-8941}
mkdir -p "$work/nginx-rate"
if [ -z "${RUMMAGE:-}" ]; then
  cargo build --release --quiet
  RUMMAGE=target/release/rummage
fi
[ -e "$work/site218/index.html" ] ||
  cargo run --release --quiet -p rummage-demo --example large_site -- "$work/site218" 217
rm -rf "$work/site218/pictures" # Each picture would be a request, too.

echo "status  nodelay  seconds  ideal  ratio  requests  refused"
for status in 429 503; do
  for nodelay in "" nodelay; do
    cat >"$work/rate.conf" <<CONF
worker_processes 1;
pid nginx.pid;
error_log error.log crit;
daemon off;
events { worker_connections 1024; }
http {
  types { text/html html; text/css css; }
  log_format status '\$status';
  access_log access status;
  limit_req_zone all zone=all:1m rate=20r/s;
  limit_req_status $status;
  client_body_temp_path body; proxy_temp_path proxy; fastcgi_temp_path fcgi;
  uwsgi_temp_path uwsgi; scgi_temp_path scgi;
  server {
    listen 127.0.0.1:$port;
    root $work/site218;
    limit_req zone=all burst=5 $nodelay;
  }
}
CONF
    : >"$work/nginx-rate/access"
    nginx -p "$work/nginx-rate/" -c "$work/rate.conf" &
    server=$!
    until curl -s -o /dev/null "http://127.0.0.1:$port/"; do :; done
    # The requests of the line above leave room in the bucket again.
    sleep 1
    : >"$work/nginx-rate/access"
    rm -f "$work"/rate.db*
    began=$(date +%s%N)
    "$RUMMAGE" crawl "127.0.0.1:$port" --externals note --check-elements a --store "$work/rate.db" --quiet >"$work/rate.out" || true
    took=$((($(date +%s%N) - began) / 1000000))
    kill $server
    wait $server 2>/dev/null || true
    awk -v status=$status -v nodelay="${nodelay:-delay}" -v took=$took '
      { requests++; if ($1 == status) refused++ }
      END {
        ideal = (requests - refused - 5) / 20
        printf "%6d  %7s  %7.1f  %5.1f  %5.2f  %8d  %3d (%.1f %%)\n",
          status, nodelay, took / 1000, ideal, took / 1000 / ideal, requests, refused, 100 * refused / requests
      }' "$work/nginx-rate/access"
    "$RUMMAGE" findings --store "$work/rate.db" | sed -n 3p
  done
done
