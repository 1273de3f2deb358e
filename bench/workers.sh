#!/usr/bin/env bash
# How long a crawl of 200 pages with 1,381 pictures takes on a server with few workers, each of
# which serves one connection until that is closed: Apache's prefork, which keeps a connection
# without requests for 5 seconds.
#
#   bench/workers.sh
#
# Needs Apache (Debian: apache2-bin). RUMMAGE names another program to measure.
set -euo pipefail
cd "$(dirname "$0")/.."
work=$PWD/target/bench
port=${PORT:-8951}
modules=${MODULES:-/usr/lib/apache2/modules}
apache=$(command -v apache2 || command -v httpd)
mkdir -p "$work/apache"
if [ -z "${RUMMAGE:-}" ]; then
  cargo build --release --quiet
  RUMMAGE=target/release/rummage
fi
[ -e "$work/site-200/index.html" ] ||
  cargo run --release --quiet -p rummage-demo --example large_site -- "$work/site-200" 200

echo "workers  seconds  requests"
for workers in "1 1" "4 4" "10 10" "5 150"; do
  read -r first most <<<"$workers"
  cat >"$work/apache/conf" <<CONF
ServerRoot $work/apache
LoadModule mpm_prefork_module $modules/mod_mpm_prefork.so
LoadModule authz_core_module $modules/mod_authz_core.so
LoadModule dir_module $modules/mod_dir.so
LoadModule mime_module $modules/mod_mime.so
ServerName localhost
Listen 127.0.0.1:$port
PidFile $work/apache/pid
ErrorLog $work/apache/log
TypesConfig /etc/mime.types
DocumentRoot $work/site-200
StartServers $first
MinSpareServers $first
MaxSpareServers $((first * 2))
MaxRequestWorkers $most
ServerLimit $most
KeepAliveTimeout 5
CONF
  # When it ends, it ends its process group: it gets one of its own.
  setsid "$apache" -f "$work/apache/conf" -DFOREGROUND 2>"$work/apache/err" &
  server=$!
  until curl -s -o /dev/null "http://127.0.0.1:$port/"; do :; done
  rm -f "$work"/workers.db*
  began=$(date +%s%N)
  "$RUMMAGE" crawl "127.0.0.1:$port" --externals note --store "$work/workers.db" >"$work/workers.out" 2>&1 || true
  took=$((($(date +%s%N) - began) / 1000000))
  kill $server
  wait $server 2>/dev/null || true
  requests=$(grep -oE "^[0-9,]+ requests" "$work/workers.out")
  awk -v first=$first -v most=$most -v took=$took -v requests="${requests% requests}" 'BEGIN {
    printf "%7s %8.1f %9s\n", first == most ? most : first " to " most, took / 1000, requests }'
  grep -E "broken, .* sound" "$work/workers.out" | sed "s/^/        /"
done
