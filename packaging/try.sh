#!/bin/sh
# Installs the package in a Debian of its own, serves by its unit's command line, upgrades it, and removes it. As root; the argument is the folder of the packages.
set -eu
out=$(realpath "$1")
first=$(ls "$out"/velvet-dial_*-1_*.deb | tail -1)
second=$(ls "$out"/velvet-dial_*-2_*.deb | tail -1)
. /etc/os-release
root=$(mktemp -d)
# The user of the service goes through it too.
chmod 755 "$root"
pid=""
finish() {
    [ -z "$pid" ] || kill "$pid" 2>/dev/null || true
    [ -z "$pid" ] || wait "$pid" 2>/dev/null || true
    umount "$root/proc" 2>/dev/null || true
    rm -rf --one-file-system "$root"
}
trap finish EXIT
say() { echo "== $*"; }
fail() { echo "FAILED: $*" >&2; tail -20 "$root/serve.log" >&2 2>/dev/null || true; exit 1; }

say "a Debian of its own ($VERSION_CODENAME)"
# Packages come from where this machine's own come from.
mirror=$(cat /etc/apt/sources.list /etc/apt/sources.list.d/* 2>/dev/null | sed -n 's/^URIs: *\([^ ]*\).*/\1/p; s/^deb \(\[[^]]*\] \)\{0,1\}\([^ ]*\).*/\2/p' | head -1)
debootstrap --variant=minbase "$VERSION_CODENAME" "$root" "$mirror" >"$out/debootstrap.log" 2>&1 || { tail -5 "$out/debootstrap.log" >&2; exit 1; }
mount -t proc proc "$root/proc"
# As on every Debian that was installed and not only unpacked.
printf '127.0.0.1 localhost %s\n' "$(uname -n)" >"$root/etc/hosts"
cp /etc/resolv.conf "$root/etc/" 2>/dev/null || true
[ ! -d /etc/apt/apt.conf.d ] || cp /etc/apt/apt.conf.d/*proxy* "$root/etc/apt/apt.conf.d/" 2>/dev/null || true
printf '#!/bin/sh\nexit 101\n' >"$root/usr/sbin/policy-rc.d"
chmod 755 "$root/usr/sbin/policy-rc.d"
cp "$first" "$second" "$root/root/"
inside() { chroot "$root" env DEBIAN_FRONTEND=noninteractive LC_ALL=C PATH=/usr/sbin:/usr/bin:/sbin:/bin "$@"; }
inside apt-get -q update >/dev/null

install_one() {
    inside apt-get -q -y --no-install-recommends install "/root/$(basename "$1")" >"$out/apt.log" 2>&1 || { tail -20 "$out/apt.log" >&2; fail "install $1"; }
}

# The unit's own command line, by the unit's own user and options.
serve() {
    unit="$root/lib/systemd/system/velvet-dial.service"
    [ -f "$unit" ] || unit="$root/usr/lib/systemd/system/velvet-dial.service"
    user=$(sed -n 's/^User=//p' "$unit")
    line=$(sed -n 's/^ExecStart=//p' "$unit")
    VELVET_DIAL_OPTIONS=""
    . "$root/etc/velvet-dial/velvet-dial.conf"
    options="$VELVET_DIAL_OPTIONS --port 18080"
    line=$(echo "$line" | sed "s|\$VELVET_DIAL_OPTIONS|$options|")
    : >"$root/serve.log"
    # Each becomes the next one, so that the process is the server itself.
    (exec chroot "$root" env LC_ALL=C PATH=/usr/sbin:/usr/bin:/sbin:/bin \
        setpriv --reuid="$user" --regid="$user" --init-groups sh -c "exec $line") >>"$root/serve.log" 2>&1 &
    pid=$!
    for _ in $(seq 120); do
        curl -fs http://127.0.0.1:18080/healthz >/dev/null && return 0
        kill -0 "$pid" 2>/dev/null || fail "the server ended"
        sleep 1
    done
    fail "the server does not answer"
}

stop() {
    kill -TERM "$pid"
    wait "$pid" || fail "the server did not stop in order"
    pid=""
    grep -q "everything entered is kept" "$root/serve.log" || fail "it did not say that it stopped"
}

as_service() { inside setpriv --reuid=velvet-dial --regid=velvet-dial --init-groups "$@"; }

say "installed"
install_one "$first"
serve
grep -q "type this code" "$root/serve.log" || fail "no code for the first day"
echo "heron valve gravel" | as_service velvet-dial user add mo --data /var/lib/velvet-dial/shop
say "a version before: its last change of the tables is taken away"
port=$(cat "$root/var/lib/velvet-dial/shop/run.port")
MYSQL_PWD=$(cat "$root/var/lib/velvet-dial/shop/password") inside mariadb --no-defaults -h127.0.0.1 -P"$port" -uvelvet_dial velvet_dial \
    -e "DROP INDEX summaries_by_last_change ON summaries; DELETE FROM seaql_migrations WHERE version = 'm2026_12_24_last_change'"
stop
say "upgraded"
echo '# a line of the shop' >>"$root/etc/velvet-dial/velvet-dial.conf"
install_one "$second"
grep -q "a line of the shop" "$root/etc/velvet-dial/velvet-dial.conf" || fail "the shop's options were overwritten"
serve
grep -q "A backup was taken before the tables change" "$root/serve.log" || fail "no backup before the upgrade"
as_service velvet-dial user list --data /var/lib/velvet-dial/shop | grep -q "^mo" || fail "what was entered is gone"
stop
backup=$(ls "$root"/var/lib/velvet-dial/shop/backups/*.tar | tail -1)
say "the backup of before is put back"
as_service velvet-dial restore "${backup#"$root"}" --data /var/lib/velvet-dial/shop --by mo || fail "the backup cannot be put back"
serve
stop
say "removed"
inside apt-get -q -y purge velvet-dial >"$out/apt.log" 2>&1 || fail "purge"
[ ! -e "$root/usr/bin/velvet-dial" ] || fail "the program is still there"
[ -d "$root/var/lib/velvet-dial/shop/data" ] || fail "what was entered went with it"
say "all of it works"
