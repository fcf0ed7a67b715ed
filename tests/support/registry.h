#pragma once
#include <QtTest>
#include <functional>
#include <memory>
#include <vector>

namespace lumsk::test {

inline std::vector<std::function<std::unique_ptr<QObject>()>>& registry() {
  static std::vector<std::function<std::unique_ptr<QObject>()>> r;
  return r;
}

/// Every test file registers its class; tests/support/main.cpp runs them all.
template <class T> struct Register {
  Register() {
    registry().push_back([] { return std::make_unique<T>(); });
  }
};

} // namespace lumsk::test

/// Fails with the measured and the allowed value.
#define VERIFY_AT_MOST(measured, limit)                                                                                \
  do {                                                                                                                 \
    const double measuredValue = (measured), limitValue = (limit);                                                     \
    QVERIFY2(measuredValue <= limitValue,                                                                              \
             qPrintable(QString(#measured " = %1, at most %2").arg(measuredValue).arg(limitValue)));                   \
  } while (false)

/// Fails with the sentence of the problem.
#define VERIFY_OK(expected)                                                                                            \
  QVERIFY2((expected).has_value(), (expected).has_value()                                                              \
                                       ? ""                                                                            \
                                       : qPrintable(QString::fromStdString((expected).error().code + " " +             \
                                                                           ::lumsk::sentence((expected).error()))))
