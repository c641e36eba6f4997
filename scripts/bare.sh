#!/usr/bin/env bash
# Runs both commands of the README in bare Debian machines, built by debootstrap in .cache/bare:
# nothing there but python3, git, make and certificates. Needs root and debootstrap.
#     scripts/bare.sh            both; scripts/bare.sh trixie  one of them
set -euo pipefail
cd "$(dirname "$0")/.."
suites=("$@")
[ $# -gt 0 ] || suites=(bookworm trixie)
[ "$(id -u)" = 0 ] || { echo "Bare machines are built as root; use sudo." >&2; exit 1; }
command -v debootstrap >/dev/null || { echo "Install debootstrap first." >&2; exit 1; }

# Built once and kept; each run works on a copy.
build() {
    local base=$1 suite=$2
    [ -e "$base/built" ] && return
    rm -rf "$base"
    mkdir -p "$base"
    debootstrap --variant=minbase --include=python3,git,make,ca-certificates "$suite" "$base" \
        >"$base.log" 2>&1 || { tail -5 "$base.log" >&2; return 1; }
    touch "$base/built"
}

# The commit that is checked out, as somebody would clone it; certificates and names of this machine.
furnish() {
    local machine=$1
    git clone -q --no-local . "$machine/srv/gezeiten"
    cp /etc/resolv.conf /etc/hosts "$machine/etc/"
    cp --remove-destination -L /etc/ssl/certs/ca-certificates.crt "$machine/etc/ssl/certs/"
}

# In namespaces of its own, so that no mount and no stand-in outlives the run.
run_in() {
    local machine=$1 command=$2
    unshare --mount --pid --fork --kill-child bash -c "
        mount -t proc proc '$machine/proc' && mount --rbind /dev '$machine/dev' &&
        exec chroot '$machine' env -i PATH=/usr/sbin:/usr/bin:/sbin:/bin HOME=/root LANG=C.UTF-8 \
            TERM=dumb ${PIP_DEFAULT_TIMEOUT:+PIP_DEFAULT_TIMEOUT=$PIP_DEFAULT_TIMEOUT} \
            bash -c 'cd /srv/gezeiten && $command'"
}

failed=0
for suite in "${suites[@]}"; do
    base="$PWD/.cache/bare/$suite"
    build "$base" "$suite"
    machine="$base.run"
    rm -rf "$machine"
    cp -a "$base" "$machine"
    furnish "$machine"
    for command in "make demo" "make test"; do
        log="$base.${command#make }.log"
        began=$SECONDS
        said="passed"
        run_in "$machine" "$command" >"$log" 2>&1 || { said="FAILED"; failed=1; }
        took=$((SECONDS - began))
        last=$(tail -n 1 "$log")
        echo "$suite: $command $said in $took s; $last"
    done
done
exit "$failed"
