#include "recipe/expression.h"

#include <muParser.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <set>

namespace lumsk::recipe {

namespace {

const std::map<std::string, Quantity>& units() {
  static const std::map<std::string, Quantity> u{
      {"mm", millimetres(1)},     {"cm", millimetres(10)}, {"m", millimetres(1000)},   {"in", millimetres(25.4)},
      {"ft", millimetres(304.8)}, {"deg", degrees(1)},     {"rad", degrees(180 / kPi)}};
  return u;
}

const std::set<std::string>& functions() {
  static const std::set<std::string> f{"sin", "cos", "tan", "asin",  "acos",  "atan", "sqrt",
                                       "abs", "min", "max", "round", "floor", "ceil", "hypot"};
  return f;
}

/// Powers of length and angle of a dimension.
std::pair<int, int> powers(Dimension d) {
  switch (d) {
  case Dimension::Length: return {1, 0};
  case Dimension::Area: return {2, 0};
  case Dimension::Volume: return {3, 0};
  case Dimension::Angle: return {0, 1};
  default: return {0, 0};
  }
}

bool nameStart(char c) { return std::isalpha(static_cast<unsigned char>(c)) || c == '_'; }
bool nameRest(char c) { return nameStart(c) || std::isdigit(static_cast<unsigned char>(c)); }

/// Decimal commas to points (outside function calls), "12 mm" to "12*mm", degree and inch signs to words.
std::string prepare(const std::string& text) {
  std::string s;
  for (size_t i = 0; i < text.size(); ++i) {
    if (text.compare(i, 2, "\xC2\xB0") == 0) {
      s += " deg";
      ++i;
    } else if (text[i] == '"') {
      s += " in";
    } else {
      s += text[i];
    }
  }
  std::string out;
  int callDepth = 0;
  std::vector<bool> isCall;
  for (size_t i = 0; i < s.size(); ++i) {
    const char c = s[i];
    if (c == '(') {
      const auto before = out.find_last_not_of(' ');
      isCall.push_back(before != std::string::npos && nameRest(out[before]));
      callDepth += isCall.back();
    } else if (c == ')' && !isCall.empty()) {
      callDepth -= isCall.back();
      isCall.pop_back();
    }
    const bool digits = i > 0 && i + 1 < s.size() && std::isdigit(static_cast<unsigned char>(s[i - 1])) &&
                        std::isdigit(static_cast<unsigned char>(s[i + 1]));
    if (c == ',' && callDepth == 0 && digits) {
      out += '.';
      continue;
    }
    // A unit after a number or a closing bracket multiplies.
    if (nameStart(c) &&
        (out.empty() || !nameRest(out.back()) || std::isdigit(static_cast<unsigned char>(out.back())))) {
      size_t end = i;
      while (end < s.size() && nameRest(s[end])) ++end;
      const auto before = out.find_last_not_of(' ');
      const bool exponent = before != std::string::npos && before + 1 == out.size() && (c == 'e' || c == 'E') &&
                            end < s.size() && (s[end] == '-' || s[end] == '+' || end > i + 1) &&
                            std::isdigit(static_cast<unsigned char>(out[before])) &&
                            (end == i + 1 || std::isdigit(static_cast<unsigned char>(s[i + 1])));
      const bool afterValue =
          before != std::string::npos && (std::isdigit(static_cast<unsigned char>(out[before])) || out[before] == '.' ||
                                          out[before] == ')' || (nameRest(out[before]) && before + 1 < out.size()));
      bool partOfName = false;
      if (before != std::string::npos && std::isdigit(static_cast<unsigned char>(out[before])) &&
          before + 1 == out.size()) {
        size_t b = before;
        while (b > 0 && nameRest(out[b - 1])) --b;
        partOfName = nameStart(out[b]);
      }
      if (!exponent && afterValue && !partOfName && units().count(s.substr(i, end - i))) out += '*';
      out += s.substr(i, end - i);
      i = end - 1;
      continue;
    }
    out += c;
  }
  return out;
}

double deg(double x) { return x * kPi / 180; }

struct Scales {
  double length, angle;
};

/// Value with every length unit multiplied by `scale.length` and every angle unit by `scale.angle`.
Expected<double> valueUnder(const std::string& prepared, const Names& names, Scales scale) {
  mu::Parser p;
  try {
    p.ClearConst();
    p.ClearFun();
    static thread_local double angleScale;
    angleScale = scale.angle;
    p.DefineFun("sin", [](double x) { return std::sin(deg(x / angleScale)); });
    p.DefineFun("cos", [](double x) { return std::cos(deg(x / angleScale)); });
    p.DefineFun("tan", [](double x) { return std::tan(deg(x / angleScale)); });
    p.DefineFun("asin", [](double x) { return angleScale * degFromRad(std::asin(x)); });
    p.DefineFun("acos", [](double x) { return angleScale * degFromRad(std::acos(x)); });
    p.DefineFun("atan", [](double x) { return angleScale * degFromRad(std::atan(x)); });
    p.DefineFun("sqrt", [](double x) { return std::sqrt(x); });
    p.DefineFun("abs", [](double x) { return std::abs(x); });
    p.DefineFun("round", [](double x) { return std::round(x); });
    p.DefineFun("floor", [](double x) { return std::floor(x); });
    p.DefineFun("ceil", [](double x) { return std::ceil(x); });
    p.DefineFun("hypot", [](double x, double y) { return std::hypot(x, y); });
    p.DefineFun("min", [](const double* v, int n) { return *std::min_element(v, v + n); });
    p.DefineFun("max", [](const double* v, int n) { return *std::max_element(v, v + n); });
    p.DefineConst("pi", kPi);
    const auto factor = [&](Dimension d) {
      const auto [l, a] = powers(d);
      return std::pow(scale.length, l) * std::pow(scale.angle, a);
    };
    for (const auto& [name, q] : units()) p.DefineConst(name, q.value * factor(q.dimension));
    for (const std::string& name : namesIn(prepared))
      if (const auto known = names.find(name); known != names.end())
        p.DefineConst(name, known->second.value * factor(known->second.dimension));
    p.SetExpr(prepared);
    return p.Eval();
  } catch (const mu::ParserError& e) {
    if (e.GetCode() == mu::ecUNASSIGNABLE_TOKEN)
      return fail(problem("LM-E002", "there is nothing named '" + e.GetToken() + "'")
                      .tryThis("check the spelling or add it to Numbers"));
    return fail(
        problem("LM-E001", "this cannot be read as a number").tryThis("write something like 12.5 mm or 2*wall"));
  }
}

} // namespace

std::vector<std::string> namesIn(const std::string& text) {
  std::vector<std::string> out;
  const std::string s = prepare(text);
  for (size_t i = 0; i < s.size(); ++i) {
    if (!nameStart(s[i]) || (i > 0 && nameRest(s[i - 1]))) continue;
    size_t end = i;
    while (end < s.size() && nameRest(s[end])) ++end;
    const std::string n = s.substr(i, end - i);
    if (!units().count(n) && !functions().count(n) && n != "pi") out.push_back(n);
    i = end;
  }
  return out;
}

Expected<void> checkName(const std::string& name) {
  const bool shaped =
      !name.empty() && name.size() <= 60 && nameStart(name[0]) && std::all_of(name.begin(), name.end(), nameRest);
  if (!shaped)
    return fail(
        problem("LM-E005", "'" + name + "' cannot be a name").tryThis("use letters, digits and _, a letter first"));
  if (units().count(name) || functions().count(name) || name == "pi" || name == "e")
    return fail(problem("LM-E005", "'" + name + "' is a unit or a function").tryThis("take another name"));
  return {};
}

Expected<Quantity> evaluate(const std::string& text, Dimension wanted, const Names& names) {
  if (text.size() > 2000) return fail(problem("LM-E001", "this text is too long for a number"));
  const std::string s = prepare(text);
  LUMSK_TRY(plain, valueUnder(s, names, {1, 1}));
  LUMSK_TRY(longer, valueUnder(s, names, {2, 1}));
  LUMSK_TRY(wider, valueUnder(s, names, {1, 2}));
  if (!std::isfinite(plain) || std::abs(plain) > 1e15)
    return fail(problem("LM-E004", "this is not a usable number").tryThis("check for a division by zero"));
  const auto same = [](double a, double b) { return std::abs(a - b) <= 1e-9 * std::max(std::abs(a), std::abs(b)); };
  const bool bare = same(longer, plain) && same(wider, plain);
  const auto [l, a] = powers(wanted);
  const bool fits = same(longer, plain * std::pow(2, l)) && same(wider, plain * std::pow(2, a));
  // A number without any unit stands for the unit of the field.
  if (!fits && !bare)
    return fail(problem("LM-E003", std::string("this is not ") +
                                       (wanted == Dimension::Angle || wanted == Dimension::Area ? "an " : "a ") +
                                       dimensionName(wanted))
                    .tryThis("check the units"));
  if (wanted == Dimension::Count && std::abs(plain - std::round(plain)) > 1e-9)
    return fail(problem("LM-E003", "this must be a whole number").measure(ratio(plain)));
  return Quantity{plain, wanted};
}

} // namespace lumsk::recipe
