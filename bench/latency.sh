#!/usr/bin/env bash
# How long a crawl takes if each response comes late, compared with what that costs at least:
# requests x latency / in flight, of which this machine's own addresses get 64.
#
#   bench/latency.sh
#
# Needs nginx (Debian: nginx-light). The site is that of bench/crawl.sh; the delay is made by
# crates/demo/examples/delaying_proxy.rs. RUMMAGE names another program to measure.
set -euo pipefail
cd "$(dirname "$0")/.."
work=$PWD/target/bench
port=${PORT:-8961}
mkdir -p "$work/nginx-latency"
if [ -z "${RUMMAGE:-}" ]; then
  cargo build --release --quiet
  RUMMAGE=target/release/rummage
fi
cargo build --release --quiet -p rummage-demo --example large_site --example delaying_proxy
[ -e "$work/site/index.html" ] || target/release/examples/large_site "$work/site" 5000

cat >"$work/latency.conf" <<CONF
worker_processes 1;
pid nginx.pid;
error_log error.log crit;
daemon off;
events { worker_connections 1024; }
http {
  types { text/html html; text/css css; image/jpeg jpg; }
  log_format line '\$status';
  access_log access line;
  keepalive_requests 100000;
  client_body_temp_path body; proxy_temp_path proxy; fastcgi_temp_path fcgi;
  uwsgi_temp_path uwsgi; scgi_temp_path scgi;
  server { listen 127.0.0.1:$port; root $work/site; }
}
CONF
nginx -p "$work/nginx-latency/" -c "$work/latency.conf" &
processes=$!
trap 'kill $processes' EXIT
until curl -s -o /dev/null "http://127.0.0.1:$port/"; do :; done

echo "latency(ms)  requests  at least(s)  taken(s)  ratio"
for delay in 0 20 100; do
  proxy=$((port + 1 + delay))
  target/release/examples/delaying_proxy "127.0.0.1:$proxy" "127.0.0.1:$port" $delay &
  processes="$processes $!"
  until curl -s -o /dev/null "http://127.0.0.1:$proxy/"; do :; done
  rm -f "$work"/latency.db*
  before=$(wc -l <"$work/nginx-latency/access")
  began=$(date +%s%N)
  "$RUMMAGE" crawl "127.0.0.1:$proxy" --externals note --store "$work/latency.db" --quiet >/dev/null
  took=$((($(date +%s%N) - began) / 1000000))
  requests=$(($(wc -l <"$work/nginx-latency/access") - before))
  awk -v delay=$delay -v requests=$requests -v took=$took 'BEGIN {
    least = requests * delay / 64 / 1000
    ratio = least > 0 ? sprintf("%.2f", took / 1000 / least) : "-"
    printf "%11d  %8d  %11.2f  %8.2f  %5s\n", delay, requests, least, took / 1000, ratio
  }'
done
