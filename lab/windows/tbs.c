/* The TPM services of the system, as its published headers declare them, for the emulation, which has none: commands go
 * to a TPM at the port LAB_TPM on loopback, and the boot log is the file LAB_LOG. LAB_TPM_GENERATION=1 is a TPM 1.2. */
#include <winsock2.h>
#include <windows.h>
#include <stdio.h>
#include <stdlib.h>
#include <tbs.h>

#define TBS_E_INTERNAL_ERROR_ 0x80284001
#define TBS_E_BAD_PARAMETER_ 0x80284002
#define TBS_E_INSUFFICIENT_BUFFER_ 0x80284005
#define TBS_E_TPM_NOT_FOUND_ 0x8028400F

static int old_one(void) { return getenv("LAB_TPM_GENERATION") && atoi(getenv("LAB_TPM_GENERATION")) == 1; }

struct device_info { UINT32 structVersion, tpmVersion, tpmInterfaceType, tpmImpRevision; };

static int whole(SOCKET s, char *b, int n, int out)
{
    while (n > 0) {
        int done = out ? send(s, b, n, 0) : recv(s, b, n, 0);
        if (done <= 0)
            return 0;
        b += done;
        n -= done;
    }
    return 1;
}

__declspec(dllexport) UINT32 WINAPI Tbsi_GetDeviceInfo(UINT32 size, void *info)
{
    struct device_info is = {1, old_one() ? 1 : 2, 2, 1};
    if (!getenv("LAB_TPM"))
        return TBS_E_TPM_NOT_FOUND_;
    if (size < sizeof is)
        return TBS_E_BAD_PARAMETER_;
    memcpy(info, &is, sizeof is);
    return 0;
}

__declspec(dllexport) TBS_RESULT WINAPI Tbsi_Context_Create(const TBS_CONTEXT_PARAMS *params, TBS_HCONTEXT *context)
{
    const UINT32 *p = (const UINT32 *)params;
    if (!getenv("LAB_TPM"))
        return TBS_E_TPM_NOT_FOUND_;
    if (p[0] != 2 || !(p[1] & (old_one() ? 2 : 4))) /* the second version, with which generations are included */
        return TBS_E_BAD_PARAMETER_;
    *context = (TBS_HCONTEXT)(UINT_PTR)0x4C42;
    return 0;
}

__declspec(dllexport) TBS_RESULT WINAPI Tbsip_Context_Close(TBS_HCONTEXT context)
{
    return (UINT_PTR)context == 0x4C42 ? 0 : TBS_E_BAD_PARAMETER_;
}

__declspec(dllexport) TBS_RESULT WINAPI Tbsip_Submit_Command(TBS_HCONTEXT context, TBS_COMMAND_LOCALITY locality,
    TBS_COMMAND_PRIORITY priority, const BYTE *command, UINT32 size, BYTE *result, UINT32 *room)
{
    WSADATA data;
    struct sockaddr_in at = {0};
    UINT32 n = size;
    if ((UINT_PTR)context != 0x4C42 || locality != 0 || priority != 200)
        return TBS_E_BAD_PARAMETER_;
    WSAStartup(MAKEWORD(2, 2), &data);
    SOCKET s = socket(AF_INET, SOCK_STREAM, 0);
    at.sin_family = AF_INET;
    at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    at.sin_port = htons((u_short)atoi(getenv("LAB_TPM")));
    if (connect(s, (struct sockaddr *)&at, sizeof at) || !whole(s, (char *)&n, 4, 1) ||
        !whole(s, (char *)command, size, 1) || !whole(s, (char *)&n, 4, 0))
        return TBS_E_INTERNAL_ERROR_;
    if (n > *room) {
        closesocket(s);
        return TBS_E_INSUFFICIENT_BUFFER_;
    }
    *room = n;
    int done = whole(s, (char *)result, n, 0);
    closesocket(s);
    return done ? 0 : TBS_E_INTERNAL_ERROR_;
}

__declspec(dllexport) TBS_RESULT WINAPI Tbsi_Get_TCG_Log(TBS_HCONTEXT context, BYTE *out, UINT32 *size)
{
    FILE *f = fopen(getenv("LAB_LOG"), "rb");
    long n;
    if ((UINT_PTR)context != 0x4C42 || !f)
        return TBS_E_BAD_PARAMETER_;
    fseek(f, 0, SEEK_END);
    n = ftell(f);
    rewind(f);
    if (!out) { /* how much room it needs */
        *size = n;
        fclose(f);
        return 0;
    }
    if (*size < (UINT32)n) {
        fclose(f);
        return TBS_E_INSUFFICIENT_BUFFER_;
    }
    *size = (UINT32)fread(out, 1, n, f);
    fclose(f);
    return 0;
}
