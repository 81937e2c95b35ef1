# Runs a command in a room of its own: a root of nothing but the programs of
# this machine, not to be written to, and an empty /work; no network, no other
# processes. What comes in on standard input is /work/in.
#   room.sh ROOT COMMAND [BINDS]
set -e
root=$1 command=$2 binds=$3
mount --make-rprivate / 2>/dev/null || true # from within a changed root it cannot be told; see leave
mount -t tmpfs -o size=768m,mode=755 room "$root"
mkdir -p "$root/etc" "$root/dev" "$root/proc" "$root/tmp" "$root/work"
for d in bin sbin lib lib32 lib64 libx32; do [ ! -L "/$d" ] || cp -P "/$d" "$root/$d"; done
for d in /usr /etc/ld.so.cache /etc/alternatives $binds; do
  [ -e "$d" ] || continue
  if [ -d "$d" ]; then mkdir -p "$root$d"; else mkdir -p "$(dirname "$root$d")"; : > "$root$d"; fi
  mount --rbind "$d" "$root$d"
  mount -o remount,bind,ro "$root$d" 2>/dev/null || true # what is bound so may belong to nobody here
done
for f in null zero urandom random; do : > "$root/dev/$f"; mount --bind "/dev/$f" "$root/dev/$f"; done
mount -t proc proc "$root/proc"
chmod 1777 "$root/tmp"; chmod 777 "$root/work"
cat > "$root/work/in"
user=""
[ "$(cat /proc/self/uid_map | tr -s ' ' | cut -d ' ' -f 4)" = 1 ] || user="--userspec=65534:65534"
exec chroot $user "$root" /usr/bin/env -i HOME=/work PATH=/usr/bin:/bin LC_ALL=C.UTF-8 /bin/sh -c "$command"
