#!/usr/bin/env bash
# usage: debian.sh CMAKE_OPTIONS WORK: builds Debian's packages from the work tree below WORK, as this machine's build was compiled, so that what
# was compiled before isn't again; looks at them; installs, uses and removes them in a minimal Debian.
set -euo pipefail
[ "$(id -u)" -eq 0 ] || { echo "only root can make a Debian to install in"; exit 77; }
root=$(cd "$(dirname "$0")/../.." && pwd) options=$1 work=$2
rm -rf --one-file-system "$work" && mkdir -p "$work"
tar -C "$root" --exclude=./build --exclude=./.git -c . | tar -x -C "$work" --one-top-level=idlemeter
! command -v ccache >/dev/null || export CCACHE_DIR=$(ccache -k cache_dir)
export npm_config_cache=$(npm config get cache) DEB_CFLAGS_SET= DEB_CXXFLAGS_SET= DEB_CPPFLAGS_SET= DEB_LDFLAGS_SET=
export IDLEMETER_BUILD_FOLDER=build/dev IDLEMETER_CMAKE_OPTIONS="$options"
(cd "$work/idlemeter" && dpkg-buildpackage -b -d -us -uc) >"$work/build.log" 2>&1 || { tail -50 "$work/build.log"; exit 1; }
cd "$work"
lintian --allow-root --fail-on error,warning --suppress-tags initial-upload-closes-no-bugs,bad-distribution-in-changes-file ./*.changes
appstreamcli validate --no-net idlemeter/debian/idlemeter/usr/share/metainfo/*.xml
desktop-file-validate idlemeter/debian/idlemeter/usr/share/applications/*.desktop

# A minimal Debian, with what a player's has: drivers, a manual, completions.
mmdebstrap --quiet --variant=minbase --skip=cleanup/apt/lists --include=libgl1-mesa-dri,libgl1,libegl1,man-db,bash-completion bookworm "$work/room" \
  "deb http://deb.debian.org/debian bookworm main" 2>"$work/room.log" || { cat "$work/room.log"; exit 1; }
cp ./*.deb "$work/room/root/" && cp /etc/resolv.conf "$work/room/etc/" 2>/dev/null || true
[ ! -d /etc/apt/apt.conf.d ] || cp -a /etc/apt/apt.conf.d/. "$work/room/etc/apt/apt.conf.d/"
[ -z "${XAUTHORITY:-}" ] || cp "$XAUTHORITY" "$work/room/root/.Xauthority"
cat >"$work/room/root/try.sh" <<'END'
set -eux
export DEBIAN_FRONTEND=noninteractive HOME=/root XDG_RUNTIME_DIR=/root/run
ours() { find / -xdev -name '*idlemeter*' -not -path '/root/*' -not -path '/var/cache/*' -not -path '/var/log/*' -not -path '/proc/*' | sort; }
ours >/root/before
apt-get install -y -q --no-install-recommends /root/idlemeter_*.deb >/root/install.log 2>&1 || { cat /root/install.log; exit 1; }
mkdir -m 700 /root/run && cd /root
idlemeter demo --brief --folder demo | tail -3
idlemeter play --record --store runs.db -- /usr/lib/x86_64-linux-gnu/idlemeter/tidepool_rally --frames 200 --size 320x180 2>&1 | tee played
grep -q '320x180: 200 frames' played
idlemeter runs --store runs.db | grep -q tidepool_rally
man idlemeter-play | grep -q -- '--end-game'
cat >completed.sh <<'HERE'
. /usr/share/bash-completion/bash_completion
. /usr/share/bash-completion/completions/idlemeter
COMP_WORDS=(idlemeter play --face be) COMP_CWORD=3 COMP_LINE='idlemeter play --face be' COMP_POINT=24
compopt() { :; }
_idlemeter
echo "completed: ${COMPREPLY[*]}"
HERE
bash completed.sh | grep -qx 'completed: benchmark'
idlemeter doctor | tee doctor
grep -q 'works    OpenGL games' doctor
[ ! -e /etc/systemd/user/default.target.wants/idlemeter-log.service ]
apt-get purge -y -q idlemeter >/root/purge.log 2>&1 || { cat /root/purge.log; exit 1; }
ours | diff /root/before -
ls /root/runs.db
END
unshare -m bash -euc 'mount -t proc proc "$1/proc"; mount --rbind /dev "$1/dev"; mount --rbind /sys "$1/sys"; mkdir -p "$1/tmp/.X11-unix"
  mount --bind /tmp/.X11-unix "$1/tmp/.X11-unix"
  chroot "$1" /usr/bin/env -i DISPLAY="${DISPLAY:-}" PATH=/usr/sbin:/usr/bin:/sbin:/bin TERM=dumb LANG=C.UTF-8 bash /root/try.sh' room "$work/room"
rm -rf --one-file-system "$work/room"
