/* Rust's standard library imports ProcessPrng from bcryptprimitives.dll, which older releases of Wine do not have.
   This is that one function, by way of the system's older call for random bytes (RtlGenRandom). */
#include <windows.h>

BOOLEAN WINAPI SystemFunction036(PVOID data, ULONG length);

__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE data, SIZE_T length)
{
    while (length > 0) {
        ULONG part = length > 0x40000000 ? 0x40000000 : (ULONG)length;
        if (!SystemFunction036(data, part))
            return FALSE;
        data += part;
        length -= part;
    }
    return TRUE;
}
