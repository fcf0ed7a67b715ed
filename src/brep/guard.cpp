#include "brep/guard.h"

#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <Message_Printer.hxx>

namespace lumsk::brep {

namespace {
Problem make(const char* doing, const std::string& why) {
  return problem("LM-K001",
                 std::string("the geometry kernel failed while ") + doing + (why.empty() ? "" : " (" + why + ")"))
      .tryThis("change the inputs a little");
}
} // namespace

void quietKernel() { Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_Printer)); }

Problem kernelProblem(const char* doing, const Standard_Failure& f) {
  const char* m = f.GetMessageString();
  return make(doing, m && *m ? m : f.DynamicType()->Name());
}
Problem kernelProblem(const char* doing, const std::exception& f) { return make(doing, f.what()); }

} // namespace lumsk::brep
