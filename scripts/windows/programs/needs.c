/* A program that needs shore.dll. */
__declspec(dllimport) int shore_level(void);

int main(void)
{
    return shore_level() - 121;
}
