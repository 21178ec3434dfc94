/* The emulation lacks one library that Go's runtime asks for random bytes. */
#include <windows.h>
#include <ntsecapi.h>

__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE buffer, SIZE_T size)
{
    return RtlGenRandom(buffer, (ULONG)size);
}
