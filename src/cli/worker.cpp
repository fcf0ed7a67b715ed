// The child process of Lumsk that runs what may crash or not end; started by Lumsk itself, not by people.
#include "brep/worker.h"

#if defined(__SANITIZE_ADDRESS__)
// The search for leaks makes a process, which a confined one cannot.
extern "C" const char* __asan_default_options() { return "detect_leaks=0"; }
#endif

int main(int argc, char** argv) { return lumsk::brep::workerMain(argc, argv); }
