#pragma once
#include "base/context.h"

#include <Message_ProgressIndicator.hxx>
#include <Standard_Failure.hxx>

namespace lumsk::brep {

/// Problem LM-K001 for an exception of the geometry kernel during `doing`.
Problem kernelProblem(const char* doing, const Standard_Failure& failure);
Problem kernelProblem(const char* doing, const std::exception& failure);

/// The one place where the geometry kernel is entered: exceptions become problems, nothing is thrown further.
/// `f` returns Expected<T>.
template <class F> auto guarded(const char* doing, F&& f) -> decltype(f()) {
  try {
    return f();
  } catch (const Standard_Failure& failure) {
    return fail(kernelProblem(doing, failure));
  } catch (const std::exception& failure) {
    return fail(kernelProblem(doing, failure));
  }
}

/// Keeps the kernel from writing its own messages to the terminal. Once at the start of a program.
void quietKernel();

/// Passes cancel and progress of a context to kernel calls that take a progress range.
class KernelProgress : public Message_ProgressIndicator {
public:
  explicit KernelProgress(const Context& cx) : cx_(cx) {}
  Standard_Boolean UserBreak() override { return cx_.stopped(); }
  void Show(const Message_ProgressScope&, const Standard_Boolean) override { cx_.report(GetPosition(), "building"); }

private:
  const Context& cx_;
};

} // namespace lumsk::brep
