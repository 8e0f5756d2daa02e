#!/usr/bin/env bash
# Private PostgreSQL on loopback: scripts/pg.sh start|stop|status|url
set -euo pipefail
ROOT=$(cd "$(dirname "$0")/.." && pwd)
# where it was started last, so that other commands of this folder find it without being told
LAST=$ROOT/.local/pg-address
[ -n "${THRUMBLE_PG_BASE:-}" ] || [ ! -s "$LAST" ] || read -r LAST_PORT LAST_DB <"$LAST"
PORT=${THRUMBLE_PG_PORT:-${LAST_PORT:-54329}}; DB=${THRUMBLE_PG_DB:-${LAST_DB:-thrumble}}
PGBIN=${PGBIN:-$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -1)}
[ -x "$PGBIN/postgres" ] || { echo "PostgreSQL server missing: apt-get install postgresql" >&2; exit 1; }
BASE=${THRUMBLE_PG_BASE:-$ROOT/.local/pg}; mkdir -p -m 755 "$BASE"
if [ "$(id -u)" = 0 ]; then                       # initdb and postgres refuse root
  chown -R postgres:postgres "$BASE"
  as() { (cd / && exec runuser -u postgres -- "$@"); }   # cd /: postgres may not read the current folder
  if ! as test -w "$BASE"; then                   # a parent is 0700: the data goes where postgres may write
    BASE=/var/lib/postgresql/thrumble-$(printf %s "$BASE" | cksum | cut -d' ' -f1); as mkdir -p "$BASE"
  fi
else as() { (cd / && exec "$@"); }; fi
DATA=$BASE/data LOG=$BASE/server.log
# a file a weekday, written over a week later; what goes wrong before that still lands in server.log
LOGGING="-c logging_collector=on -c log_directory=$BASE/log -c log_filename=server-%a.log -c log_truncate_on_rotation=on -c log_rotation_age=1d"
mkdir -p -m 711 "$ROOT/.local"
export PGPASSFILE=$ROOT/.local/pgpass             # beside the data, not in it: it belongs to whoever runs this
pw() { cut -d: -f5 "${1:-$PGPASSFILE}"; }
free_port() { ! (exec 3<>"/dev/tcp/127.0.0.1/$PORT") 2>/dev/null; }
case ${1:-start} in
start)
  if [ ! -s "$PGPASSFILE" ]; then
    (umask 077; printf '127.0.0.1:*:*:thrumble:%s\n' "$(od -An -N24 -tx1 /dev/urandom | tr -d ' \n')" >"$PGPASSFILE.new")
    if as test -s "$DATA/PG_VERSION"; then        # the file was lost: the owner of the data may set a new password
      as "$PGBIN/pg_ctl" -D "$DATA" -m fast -w -s stop 2>/dev/null || true
      echo "alter role thrumble password '$(pw "$PGPASSFILE.new")'" | as "$PGBIN/postgres" --single -D "$DATA" postgres >/dev/null
    fi
    mv "$PGPASSFILE.new" "$PGPASSFILE"
  fi
  if ! as test -s "$DATA/PG_VERSION"; then         # built beside and renamed: a killed initdb leaves no half cluster
    as rm -rf "$DATA.new"
    pw | as bash -c '"$1" -D "$2" -U thrumble -A scram-sha-256 --pwfile=<(cat) -E UTF8 --locale=C.UTF-8 --no-sync --no-instructions' - "$PGBIN/initdb" "$DATA.new" >/dev/null
    as mv "$DATA.new" "$DATA"
  fi
  if ! as "$PGBIN/pg_ctl" -D "$DATA" status >/dev/null; then
    for wait in 1 2 3 4 5 6 7 8; do free_port && break; sleep 0.5; done
    free_port || { echo "Port $PORT on 127.0.0.1 is taken by another program; set THRUMBLE_PG_PORT to a free one." >&2; exit 1; }
    for try in 1 2 3 4 5 6 7 8; do              # a killed server's own processes need a moment to notice and to let go
      as "$PGBIN/pg_ctl" -D "$DATA" -l "$LOG" -w -t 60 -s \
        -o "-c listen_addresses=127.0.0.1 -c port=$PORT -c unix_socket_directories='' $LOGGING ${THRUMBLE_PG_OPTS:-}" start 2>/dev/null && break
      [ "$try" -lt 8 ] && as tail -5 "$LOG" | grep -qE 'shared memory block|lock file' || { as tail -5 "$LOG" >&2; exit 1; }
      sleep 1
    done
  fi
  "$PGBIN/psql" -wqAtX "host=127.0.0.1 port=$PORT user=thrumble dbname=postgres" -c "select 1 from pg_database where datname='$DB'" |
      grep -q 1 || "$PGBIN/createdb" -w -h 127.0.0.1 -p "$PORT" -U thrumble "$DB"
  [ -n "${THRUMBLE_PG_BASE:-}" ] || echo "$PORT $DB" >"$LAST" ;;
stop)   as "$PGBIN/pg_ctl" -D "$DATA" -m fast -w -s stop ;;
status) as "$PGBIN/pg_ctl" -D "$DATA" status ;;
url)    p=$(pw) && echo "postgresql+psycopg://thrumble:$p@127.0.0.1:$PORT/$DB" ;;
esac
