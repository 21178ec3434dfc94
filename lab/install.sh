#!/bin/sh
# What the lab needs, on Debian, as root.
set -e
export DEBIAN_FRONTEND=noninteractive
apt-get update -qq
apt-get install -y -qq --no-install-recommends qemu-system-x86 ovmf swtpm seabios busybox-static cpio openssl sbsigntool e2fsprogs fdisk dosfstools mtools mdadm cryptsetup-bin lvm2 btrfs-progs xfsprogs linux-image-cloud-amd64 wine64 wine gcc-mingw-w64-x86-64-win32 >/dev/null
