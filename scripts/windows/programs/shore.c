/* A library that the tests leave away, to see how its absence is told. */
__declspec(dllexport) int shore_level(void)
{
    return 121;
}
