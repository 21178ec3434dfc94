/* Takes every right to keys of HKEY_LOCAL_MACHINE away, as an administrator may, and runs a program there:
 * refuse KEY... -- PROGRAM ARGUMENT... The emulation keeps the rights in its memory alone. */
#include <process.h>
#include <string.h>
#include <windows.h>

int main(int argc, char **argv)
{
    int i;
    for (i = 1; i < argc && strcmp(argv[i], "--") != 0; i++) {
        HKEY key;
        SECURITY_DESCRIPTOR rights;
        ACL none;
        InitializeSecurityDescriptor(&rights, SECURITY_DESCRIPTOR_REVISION);
        InitializeAcl(&none, sizeof none, ACL_REVISION);
        SetSecurityDescriptorDacl(&rights, TRUE, &none, FALSE);
        if (RegOpenKeyExA(HKEY_LOCAL_MACHINE, argv[i], 0, WRITE_DAC | KEY_WOW64_64KEY, &key) ||
            RegSetKeySecurity(key, DACL_SECURITY_INFORMATION, &rights))
            return 101;
        RegCloseKey(key);
        if (RegOpenKeyExA(HKEY_LOCAL_MACHINE, argv[i], 0, KEY_READ | KEY_WOW64_64KEY, &key) != ERROR_ACCESS_DENIED)
            return 102; /* it is refused to nobody */
    }
    return i + 1 < argc ? (int)_spawnv(_P_WAIT, argv[i + 1], (const char *const *)argv + i + 1) : 103;
}
