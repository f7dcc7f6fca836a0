/* start NAME: starts a program by name alone, as programs do (CreateProcess without a path). */
#include <stdio.h>
#include <windows.h>

int wmain(int count, wchar_t **arguments)
{
    STARTUPINFOW how = { sizeof how };
    PROCESS_INFORMATION started;
    wchar_t line[4096];
    if (count != 2 || wcslen(arguments[1]) > 4000)
        return 2;
    swprintf(line, 4096, L"\"%ls\"", arguments[1]);
    if (!CreateProcessW(NULL, line, NULL, NULL, TRUE, 0, NULL, NULL, &how, &started)) {
        puts("nothing");
        return 1;
    }
    WaitForSingleObject(started.hProcess, 10000);
    return 0;
}
