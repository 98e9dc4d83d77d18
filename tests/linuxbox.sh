#!/bin/sh
# A Linux box: runs in its own network, UTS and mount namespaces with its own /etc, /home, /root and /run under $1.
# usage: ip netns exec NAME unshare --uts --mount linuxbox.sh DIR
set -e
D=$1
mount --make-rprivate /
mkdir -p "$D/home" "$D/root"
mount --bind "$D/etc" /etc
mount --bind "$D/home" /home
mount --bind "$D/root" /root
mount -t tmpfs tmpfs /run
mkdir -p /run/sshd /run/network /run/chrony
chmod 750 /run/chrony
[ -e "$D/installed" ] || { echo "root:$2" | chpasswd; touch "$D/installed"; }
hostname "$(cat /etc/hostname)"
ip link set lo up
ifup -a
chronyd -x -u root -f /etc/chrony/chrony.conf
echo $$ >"$D/pid"
[ -z "$3" ] || socat "PTY,link=$3,raw,echo=0,waitslave" "EXEC:/sbin/agetty --noclear --noissue - vt100,pty,setsid,ctty,stderr" &
exec /usr/sbin/sshd -D -e
