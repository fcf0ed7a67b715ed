#pragma once
#include "base/problem.h"

#include <functional>

namespace lumsk::cli {

/// One number of a recipe and the expressions that it takes, one after the other.
struct Vary {
  std::string name;
  std::vector<std::string> values;
};
/// "wall=1.6:2.4:0.2" (from, to, step; both ends count) or "waist=58,62,66". Fails with LM-F037.
Expected<Vary> varyOf(const std::string& words);

struct StudyArguments {
  std::string file, out;
  std::vector<Vary> vary;
  std::vector<std::string> endings; ///< of the files that are exported of every variant: ".step"
  std::vector<std::string> run;     ///< words handed on to `run` as they are
  bool picture = false;
  int jobs = 1;
  std::string only; ///< "7" or "1-20": these variants; empty: all
  bool fresh = false;
};

/// Variants of a project, each computed by a process of its own, `program run`, into OUT/NNN (report.json, picture.png,
/// exports, and done.json when all of it is there), and OUT/study.csv with their figures. What is done already is not
/// computed again. `say` gets a line for every variant. The number of variants that failed. Fails with LM-F037 (what is
/// varied makes no sense), LM-F038 (the folder holds another study), LM-F022, LM-F020.
Expected<int> study(const StudyArguments& a, const std::string& program, const std::function<void(const std::string&)>& say);

/// How many variants there are. Fails with LM-F037 above 10,000.
Expected<int> variantsOf(const std::vector<Vary>& vary);

} // namespace lumsk::cli
