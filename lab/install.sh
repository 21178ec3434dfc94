#!/bin/sh
# What the lab needs, on Debian, as root. With “all”, also kernels and firmware of other kinds, for the machines
# that stand apart.
set -e
export DEBIAN_FRONTEND=noninteractive
# Where an index cannot be had, the installation of what is missing says so.
apt-get update -qq || true
apt-get install -y -qq --no-install-recommends qemu-system-x86 ovmf swtpm seabios busybox-static cpio openssl sbsigntool e2fsprogs fdisk dosfstools mtools mdadm cryptsetup-bin lvm2 btrfs-progs xfsprogs linux-image-cloud-amd64 wine64 wine gcc-mingw-w64-x86-64-win32 >/dev/null
[ "$1" = all ] || exit 0

dpkg --add-architecture arm64
dpkg --add-architecture i386
apt-get update -qq || true
apt-get install -y -qq --no-install-recommends qemu-system-arm qemu-efi-aarch64 ovmf-ia32 bcache-tools kmod \
  swtpm-tools gnutls-bin debootstrap gcc-mingw-w64-i686-win32 >/dev/null
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
chmod 755 "$work"
cd "$work"
# These are unpacked and not installed: they are for other machines than this one.
unpack() { # KIND PACKAGE…
  to=/usr/local/lib/rolltop-lab/$1; shift
  rm -rf "$to"
  mkdir -p "$to"
  for p in "$@"; do
    case $p in linux-image-*) p=$(apt-cache depends "$p" | sed -n 's/^ *Depends: //p' | head -n 1) ;; esac
    rm -f ./*.deb
    apt-get download -qq "$p"
    dpkg-deb -x ./*.deb "$to"
  done
  for v in "$to"/lib/modules/*; do depmod -b "$to" "${v##*/}"; done
}
# A small installation of Debian, which one of the machines starts.
debian() { # NAME OPTION…
  to=/usr/local/lib/rolltop-lab/$1; shift
  rm -rf "$to"
  mkdir -p "$to"
  debootstrap --variant=minbase "$@" "$(. /etc/os-release; echo "$VERSION_CODENAME")" "$to" >debootstrap.log || {
    tail debootstrap.log
    exit 1
  }
}
debian debian --include=systemd-sysv,udev,dbus
# Another one, of 32 bits, with the emulation of a Windows of 32 bits.
debian windows32 --arch=i386
chroot "$to" sh -c 'apt-get update -qq &&
  apt-get install -y -qq --no-install-recommends wine32 wine >/dev/null && apt-get clean'
unpack generic linux-image-amd64 busybox-static
unpack i686 linux-image-686:i386 busybox-static:i386
unpack arm64 linux-image-cloud-arm64:arm64 busybox-static:arm64
