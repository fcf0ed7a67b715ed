#pragma once
#include <optional>
#include <string>

namespace lumsk::exchange {

/// A process of some machine, as lock and recovery files name it: "host pid start".
std::string thisProcess();
/// Whether it still runs: always for other machines, where nobody can tell.
bool processLives(const std::string& words);

/// A word in the names of files that are there only while this process writes them.
std::string processTag();
/// Whether a file's name has the word of a process of this machine that has ended.
bool isLeftover(const std::string& fileName);

} // namespace lumsk::exchange
