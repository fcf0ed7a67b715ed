// The child process of Lumsk that runs what may crash or not end; started by Lumsk itself, not by people.
#include "brep/worker.h"

int main(int argc, char** argv) { return lumsk::brep::workerMain(argc, argv); }
