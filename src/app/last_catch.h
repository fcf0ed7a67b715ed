#pragma once
#include <QString>

#include <Standard_Failure.hxx>

#include <exception>
#include <optional>

namespace lumsk::app {

/// The last catch of a thread: runs `f`, and says in words what it threw. Nothing that is thrown on a thread ends the
/// program.
template <class F> std::optional<QString> thrownBy(F&& f) {
  try {
    f();
    return {};
  } catch (const Standard_Failure& e) {
    const char* words = e.GetMessageString();
    return QString::fromUtf8(words && *words ? words : e.DynamicType()->Name());
  } catch (const std::exception& e) {
    return QString::fromUtf8(e.what());
  } catch (...) {
    return QStringLiteral("unknown");
  }
}

} // namespace lumsk::app
