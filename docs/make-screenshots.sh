#!/usr/bin/env bash
# Makes the pictures in docs/screenshots from the demo, in a real terminal window.
#
#   docs/make-screenshots.sh
#
# Needs Xvfb, xterm, xdotool, ImageMagick, DejaVu Sans Mono, Chromium, Python and PostgreSQL
# (Debian: xvfb xterm xdotool imagemagick fonts-dejavu-core chromium python3 postgresql).
set -euo pipefail
for program in Xvfb xterm xdotool import mogrify chromium python3; do
  command -v $program >/dev/null || { echo "$program is not installed" >&2; exit 1; }
done
cd "$(dirname "$0")/.."
out=$PWD/docs/screenshots
cargo build --release --quiet
PATH=$PWD/target/release:$PATH
work=$(mktemp -d)
rummage demo serve --emails "$work/emails" >"$work/serve" &
serve=$!
exec 9>"$work/display"
Xvfb -displayfd 9 -screen 0 1400x1000x24 -nolisten tcp >/dev/null 2>&1 &
screen=$!
trap 'kill $serve $screen ${earlier-} ${workers-} ${postgres-} 2>/dev/null; rm -rf "$work"' EXIT
until grep -q 'rummage crawl' "$work/serve" && [ -s "$work/display" ]; do :; done
DISPLAY=":$(cat "$work/display")"
export DISPLAY
eval "$(grep export "$work/serve")"

shot() { # NAME WAIT COMMAND…: the output of the command after this many seconds
  local name=$1 wait=$2
  shift 2
  cat >"$work/run" <<RUN
cd $work
printf '\033[1m\$ %s\033[0m\n\n' "$*"
$*
sleep 600
RUN
  xterm -fa 'DejaVu Sans Mono' -fs 10 -geometry 150x48+0+0 -bg '#14161a' -fg '#d8dce2' -b 8 +sb \
    -e env TERM=xterm-256color bash "$work/run" &
  local term=$!
  sleep "$wait"
  import -window "$(xdotool search --onlyvisible --class xterm | head -1)" "$out/$name.png"
  kill $term
  wait $term 2>/dev/null || true
}

keys() { # NAME COLUMNSxLINES FOLDER COMMAND KEY…: the screen after these keys; a number waits
  local name=$1 size=$2 folder=$3 command=$4
  shift 4
  xterm -fa 'DejaVu Sans Mono' -fs 10 -geometry "$size+0+0" -bg '#14161a' -fg '#d8dce2' -b 8 +sb \
    -e env TERM=xterm-256color bash -c "cd $folder; $command" &
  local term=$! key
  sleep 3
  for key in "$@"; do
    case $key in
      [0-9]) sleep "$key" ;;
      ?*\ *) xdotool type --delay 20 -- "$key" ;;
      *) xdotool key --clearmodifiers "$key" ;;
    esac
    sleep 0.2
  done
  import -window "$(xdotool search --onlyvisible --class xterm | head -1)" "$out/$name.png"
  kill $term
  wait $term 2>/dev/null || true
}

page() { # NAME FILE [HEIGHT]: the page in a browser
  chromium --headless --no-sandbox --disable-gpu --hide-scrollbars --user-data-dir="$work/browser" \
    --window-size="1280,${3:-800}" --screenshot="$out/$1.png" "file://$2" >/dev/null 2>&1
}

shot progress 3 'rummage crawl www.ashlock-canal.test --timeout 500ms'
rm -f "$RUMMAGE_STORE"*
shot crawl 12 'rummage crawl www.ashlock-canal.test --timeout 500ms -q --color always | head -n 44'
shot findings 2 'rummage findings --group host --scope external --color always | tail -n +11 | head -n 42'
shot trace 2 'rummage trace trains.westshire.test/timetable'
rummage demo files "$work/files" >/dev/null
shot page 4 'rummage page https://www.ashlock-canal.test/visit/ https://www.ashlock-canal.test/walks/ --timeout 500ms; echo; rummage page files/public/visit/index.html --as https://www.ashlock-canal.test/visit/'
shot probe 12 'rummage probe files/urls.csv --timeout 500ms -q --color always | head -n 24; echo; rummage probe files/urls.csv --append-columns --timeout 500ms -q | cut -c 1-146'
shot arrivals 9 'rummage arrivals files/access.log --check --timeout 500ms --color always 2>/dev/null | head -n 44'
(
  cd "$work"
  export RUMMAGE_STORE=mended.db
  cp -r files/moved moved
  rummage crawl ./moved --as https://www.ashlock-canal.test/ -q --fail-on never >/dev/null
)
store=$RUMMAGE_STORE
cp "$store" "$work/triage.db"
export RUMMAGE_STORE=$work/triage.db
keys triage 150x44 "$work" 'rummage triage' j j j j j j
keys triage_decide 100x30 "$work" 'rummage triage --scope external' f '--cause access-refused' Return 1 \
  a w 'they refuse robots; checked by hand'
rm -f "$work/waivers.toml"
export RUMMAGE_STORE=mended.db
shot mend_propose 4 'rummage mend propose -o plan.toml; echo; rummage mend show plan.toml'
shot mend_apply 6 'rummage mend apply plan.toml --files moved --write --color always | tail -n 20; rummage mend confirm plan.toml -v 2>/dev/null'
export RUMMAGE_STORE=$store
shot schedule 2 'rummage schedule --limit 12 --color always | head -n 46'
cp "$RUMMAGE_STORE" "$work/rummage.db"
(
  cd "$work"
  export RUMMAGE_STORE=rummage.db
  rummage waive --cause access-refused --works --reason 'they refuse robots; checked by hand'
  rummage waive /volunteers/rota.html --until 90d --reason 'the rota returns in spring'
) >/dev/null
store=$RUMMAGE_STORE
export RUMMAGE_STORE=rummage.db
shot waivers 2 'rummage waive --list; echo; rummage findings --limit 2'
export RUMMAGE_STORE=$store
# The museum as it was some weeks earlier, compared with the museum as it is.
rm -f "$RUMMAGE_STORE"*
rummage demo serve --earlier >"$work/earlier" &
earlier=$!
until grep -q 'rummage crawl' "$work/earlier"; do :; done
(
  store=$RUMMAGE_STORE
  eval "$(grep export "$work/earlier")"
  rummage crawl www.ashlock-canal.test --timeout 500ms -q --store "$store" --fail-on never >/dev/null
)
kill $earlier
cp "$RUMMAGE_STORE" "$work/rummage.db"
rm -f "$work/waivers.toml"
export RUMMAGE_STORE=rummage.db
shot recheck 8 "rummage recheck --host '*ashlock-canal.test' --color always 2>/dev/null | head -n 40"
export RUMMAGE_STORE=$store
rummage crawl www.ashlock-canal.test --timeout 500ms -q --fresh --fail-on never >/dev/null
shot compare 3 'rummage compare --limit 3; echo; rummage sites'
# The report of both runs.
printf '[site.museum]\nstart = "https://www.ashlock-canal.test/"\neditor-link = "https://cms.ashlock-canal.test/edit{path}"\n' \
  >"$work/rummage.toml"
(cd "$work" && rummage report -o report.html)
page report "$work/report.html"
cat >"$work/rummage.toml" <<'TOML'
[defaults]
timeout = "10s"

[site.museum]
start = "https://www.ashlock-canal.test/"
exclude = ["/booking/*"]
write = ["broken.csv"]

[[site.museum.expect]]
target = "/newsletter/1998-*"
status = 410
TOML
shot settings 2 'rummage settings museum --gentle | grep -v -e /tmp -e 127.0.0.1'
# A fleet of two workers, with a PostgreSQL of its own.
cat >"$work/fleet.toml" <<'TOML'
[defaults]
timeout = "500ms"
[site.museum]
start = "https://www.ashlock-canal.test/"
[site.tea-room]
start = "https://www.ashlock-canal.test/tea-room/"
within = ["/tea-room/"]
[site.visitors]
start = "https://www.ashlock-canal.test/visit/"
within = ["/visit/"]
[site.about]
start = "https://www.ashlock-canal.test/about/"
within = ["/about/"]
[site.harbour]
start = "http://no-such-harbour.test/"
TOML
(
  cd "$work"
  chmod 755 .
  mkdir database
  as=
  # PostgreSQL does not run as root.
  if [ "$(id -u)" = 0 ]; then chown nobody database && as='setpriv --reuid nobody --regid nogroup --clear-groups'; fi
  bin=$(printf '%s\n' /usr/lib/postgresql/*/bin | tail -n 1)
  $as "$bin/initdb" -D database/data -U rummage -A trust >/dev/null
  $as "$bin/postgres" -D database/data -p 54399 -c listen_addresses=127.0.0.1 -c unix_socket_directories= \
    2>/dev/null & postgres=$!
  export RUMMAGE_DATABASE_URL=postgres://rummage@127.0.0.1:54399/postgres
  until rummage fleet prepare >/dev/null 2>&1; do sleep 0.2; done
  rummage fleet sites import fleet.toml >/dev/null
  workers=
  for name in canal-1 canal-2; do
    rummage fleet work --name $name --folder $name --sites 2 --external-rate 100/s 2>/dev/null & workers="$workers $!"
  done
  sleep 12
  shot fleet_status 2 'rummage fleet status; echo; rummage fleet sites; echo; rummage findings --fleet --scope external --limit 12 --color always'
  # shellcheck disable=SC2086
  kill $workers && wait $workers || true
  kill -INT $postgres && wait $postgres || true
)
# What has changed since the museum was crawled some weeks earlier, as an email.
cat >"$work/rummage.toml" <<'TOML'
[site.museum]
start = "https://www.ashlock-canal.test/"
timeout = "500ms"
crawl-every = "1m"
digest-to = ["editor@ashlock-canal.test"]
TOML
rm -f "$work/emails"/*
(
  cd "$work"
  export RUMMAGE_STORE=$work/watched.db
  rummage demo serve --earlier >"$work/earlier" &
  earlier=$!
  until grep -q 'rummage crawl' "$work/earlier"; do :; done
  (
    eval "$(grep export "$work/earlier" | grep -v STORE)"
    RUMMAGE_DEMO_CLOCK_BEHIND=10m rummage crawl museum -q --fail-on never >/dev/null
  )
  kill $earlier
  rummage patrol --once --quiet
)
python3 - "$work/emails/1.eml" >"$work/digest.html" <<'PYTHON'
import email, email.policy, sys
message = email.message_from_binary_file(open(sys.argv[1], "rb"), policy=email.policy.default)
print(message.get_body(["html"]).get_content())
PYTHON
page digest "$work/digest.html"
rm "$work/rummage.toml"
