#include "brep/guard.h"

#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <Message_Printer.hxx>
#include <Standard_OutOfMemory.hxx>

#include <new>

namespace lumsk::brep {

namespace {
Problem make(const char* doing, const std::string& why) {
  return problem("LM-K001",
                 std::string("the geometry kernel failed while ") + doing + (why.empty() ? "" : " (" + why + ")"))
      .tryThis("change the inputs a little");
}

Problem outOfMemory(const char* doing) {
  return problem("LM-W004", std::string(doing) + " needs more memory than there is")
      .tryThis("take a smaller part of it");
}
} // namespace

void quietKernel() { Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_Printer)); }

Problem kernelProblem(const char* doing, const Standard_Failure& f) {
  if (dynamic_cast<const Standard_OutOfMemory*>(&f)) return outOfMemory(doing);
  const char* m = f.GetMessageString();
  return make(doing, m && *m ? m : f.DynamicType()->Name());
}
Problem kernelProblem(const char* doing, const std::exception& f) {
  return dynamic_cast<const std::bad_alloc*>(&f) ? outOfMemory(doing) : make(doing, f.what());
}

} // namespace lumsk::brep
