/* Notes each start, with its arguments, behind its own name, and states a version where it is asked for one as usual. */
#include <stdio.h>
#include <string.h>
#include <windows.h>

int main(int count, char **arguments)
{
    char place[4096];
    GetModuleFileNameA(NULL, place, sizeof place - 16);
    strcat(place, ".started");
    FILE *file = fopen(place, "a");
    if (file) {
        for (int at = 1; at < count; at++)
            fprintf(file, "%s ", arguments[at]);
        fprintf(file, ".\n");
        fclose(file);
    }
    if (count == 2 && strcmp(arguments[1], "-version") == 0)
        puts("noisy 1.0");
    return 0;
}
