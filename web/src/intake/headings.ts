/** What the facts that a column may be are called beside each other. */
export const factNames: Record<string, string> = {
  'memory.installed_bytes': 'memory that is plugged in',
  'memory.visible_bytes': 'memory that the system may use',
  'storage.system.disk_bytes': 'capacity of the system disk',
  'storage.system.volume_bytes': 'size of the system volume',
  'storage.system.partition_style': 'partition style of the system disk',
  'storage.boot.partition_style': 'partition style of the disk with the boot files',
  'firmware.secure_boot': 'secure boot is on or off',
  'firmware.secure_boot_capable': 'the firmware is able to',
  'tpm.version': 'version of the TPM',
  'tpm.state': 'state of the TPM',
}

/** Units whose names are used for two sizes. */
export const unitNames: Record<string, string> = {
  GB: 'GB, of 1,000 MB',
  GiB: 'GB, of 1,024 MB (GiB)',
  MB: 'MB, of 1,000 kB',
  MiB: 'MB, of 1,024 kB (MiB)',
}

/** The units that are offered first. */
export const usualUnits = ['GiB', 'GB', 'MiB', 'MB', 'TB', 'TiB', 'B', 'MHz', 'GHz']
