/* Prints the path of its own file: the tests see by it which of several programs ran. */
#include <stdio.h>
#include <windows.h>

int main(void)
{
    wchar_t path[4096];
    DWORD length = GetModuleFileNameW(NULL, path, 4096);
    char text[8192];
    int bytes = WideCharToMultiByte(CP_UTF8, 0, path, (int)length, text, sizeof text - 1, NULL, NULL);
    text[bytes] = 0;
    puts(text);
    return 0;
}
