/** Facts that make useful columns; any other can stand in the address. */
export const offered: Record<string, string> = {
  'processor.name': 'Processor',
  'memory.installed_bytes': 'Memory',
  'storage.system.disk_bytes': 'System disk',
  'storage.system.free_bytes': 'Free space',
  'tpm.state': 'TPM',
  'tpm.version': 'TPM version',
  'firmware.boot_mode': 'Boot mode',
  'firmware.secure_boot': 'Secure boot',
  'firmware.version': 'Firmware',
  'os.edition': 'Edition',
  'os.build': 'Build',
  'os.held_at': 'Held at',
  'device.serial': 'Serial number',
  'machine.asset_tag': 'Asset tag',
}

/** The heading of a column of a fact. */
export const heading = (fact: string) => offered[fact] ?? fact
