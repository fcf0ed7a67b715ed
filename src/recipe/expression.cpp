#include "recipe/expression.h"

#include <muParser.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <cmath>
#include <cstring>
#include <memory>
#include <optional>
#include <set>
#include <unordered_map>

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

std::vector<std::string> namesInPrepared(const std::string& s) {
  std::vector<std::string> out;
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

double deg(double x) { return x * kPi / 180; }

struct Scales {
  double length, angle;
};

double factorOf(Dimension d, Scales scale) {
  const auto [l, a] = powers(d);
  return std::pow(scale.length, l) * std::pow(scale.angle, a);
}

/// Units of the functions' angles, while a value is taken.
thread_local double angleScale = 1;

Problem unreadable() {
  return problem("LM-E001", "this cannot be read as a number").tryThis("write something like 12.5 mm or 2*wall");
}

/// A text read once. Its parser is bound to `units_` and `values_`, so it stays where it was made.
class Compiled {
public:
  explicit Compiled(const std::string& text) : text_(prepare(text)) {
    if (!literal()) names_ = namesInPrepared(text_);
  }
  Compiled(const Compiled&) = delete;

  /// Value with every length unit multiplied by `scale.length` and every angle unit by `scale.angle`.
  Expected<double> valueUnder(const Names& names, Scales scale) {
    if (plain_) return *plain_ * factorOf(unit_, scale);
    if (!parser_) LUMSK_CHECK(parse());
    for (size_t i = 0; i < names_.size(); ++i) {
      const auto known = names.find(names_[i]);
      if (known == names.end()) return fail(unknown(names_[i]));
      values_[i] = known->second.value * factorOf(known->second.dimension, scale);
    }
    size_t u = 0;
    for (const auto& [name, q] : units()) unitValues_[u++] = q.value * factorOf(q.dimension, scale);
    angleScale = scale.angle;
    try {
      return parser_->Eval();
    } catch (const mu::ParserError& e) {
      return fail(problemOf(e));
    }
  }

private:
  /// A number, and perhaps a unit: most of what is written.
  bool literal() {
    const auto first = text_.find_first_not_of(' ');
    if (first == std::string::npos) return false;
    double value = 0;
    const char *begin = text_.data() + first, *end = text_.data() + text_.size();
    const auto [next, error] = std::from_chars(begin, end, value);
    if (error != std::errc() || !std::isdigit(static_cast<unsigned char>(next[-1]))) return false;
    std::string rest(next, end);
    rest.erase(std::remove(rest.begin(), rest.end(), ' '), rest.end());
    const auto unit = rest.empty() ? units().end() : units().find(rest.substr(1));
    if (!rest.empty() && (rest[0] != '*' || unit == units().end())) return false;
    plain_ = unit == units().end() ? value : value * unit->second.value;
    unit_ = unit == units().end() ? Dimension::Ratio : unit->second.dimension;
    return true;
  }

  Expected<void> parse() {
    // The parser's assignments would change what is bound.
    for (size_t i = 0; i < text_.size(); ++i)
      if (text_[i] == '=' && (i == 0 || !std::strchr("=<>!", text_[i - 1])) && text_[i + 1] != '=')
        return fail(unreadable());
    auto p = std::make_unique<mu::Parser>();
    try {
      p->ClearConst();
      p->ClearFun();
      defineFunctions(*p);
      p->DefineConst("pi", kPi);
      size_t u = 0;
      for (const auto& unit : units()) p->DefineVar(unit.first, &unitValues_[u++]);
      values_.assign(names_.size(), 1.0);
      for (size_t i = 0; i < names_.size(); ++i) p->DefineVar(names_[i], &values_[i]);
      p->SetExpr(text_);
      p->Eval();
    } catch (const mu::ParserError& e) {
      return fail(problemOf(e));
    }
    parser_ = std::move(p);
    return {};
  }

  static void defineFunctions(mu::Parser& p) {
    constexpr bool kAnew = false; // not folded into constants: they change with `angleScale`
    p.DefineFun("sin", [](double x) { return std::sin(deg(x / angleScale)); }, kAnew);
    p.DefineFun("cos", [](double x) { return std::cos(deg(x / angleScale)); }, kAnew);
    p.DefineFun("tan", [](double x) { return std::tan(deg(x / angleScale)); }, kAnew);
    p.DefineFun("asin", [](double x) { return angleScale * degFromRad(std::asin(x)); }, kAnew);
    p.DefineFun("acos", [](double x) { return angleScale * degFromRad(std::acos(x)); }, kAnew);
    p.DefineFun("atan", [](double x) { return angleScale * degFromRad(std::atan(x)); }, kAnew);
    p.DefineFun("sqrt", [](double x) { return std::sqrt(x); }, kAnew);
    p.DefineFun("abs", [](double x) { return std::abs(x); }, kAnew);
    p.DefineFun("round", [](double x) { return std::round(x); }, kAnew);
    p.DefineFun("floor", [](double x) { return std::floor(x); }, kAnew);
    p.DefineFun("ceil", [](double x) { return std::ceil(x); }, kAnew);
    p.DefineFun("hypot", [](double x, double y) { return std::hypot(x, y); }, kAnew);
    p.DefineFun("min", [](const double* v, int n) { return *std::min_element(v, v + n); }, kAnew);
    p.DefineFun("max", [](const double* v, int n) { return *std::max_element(v, v + n); }, kAnew);
  }

  static Problem unknown(const std::string& name) {
    return problem("LM-E002", "there is nothing named '" + name + "'")
        .tryThis("check the spelling or add it to Numbers");
  }
  static Problem problemOf(const mu::ParserError& e) {
    return e.GetCode() == mu::ecUNASSIGNABLE_TOKEN ? unknown(e.GetToken()) : unreadable();
  }

  std::string text_; ///< prepared
  std::optional<double> plain_;
  Dimension unit_ = Dimension::Ratio;
  std::vector<std::string> names_;
  std::vector<double> values_;
  std::array<double, 7> unitValues_{};
  std::unique_ptr<mu::Parser> parser_;
};

/// Texts are read once in each thread.
Compiled& compiled(const std::string& text) {
  constexpr size_t kMost = 400; // parsers are not small
  static thread_local std::unordered_map<std::string, std::unique_ptr<Compiled>> known;
  const auto it = known.find(text);
  if (it != known.end()) return *it->second;
  if (known.size() >= kMost) known.clear();
  return *(known[text] = std::make_unique<Compiled>(text));
}

} // namespace

std::vector<std::string> namesIn(const std::string& text) { return namesInPrepared(prepare(text)); }
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
  Compiled& read = compiled(text);
  LUMSK_TRY(plain, read.valueUnder(names, {1, 1}));
  LUMSK_TRY(longer, read.valueUnder(names, {2, 1}));
  LUMSK_TRY(wider, read.valueUnder(names, {1, 2}));
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
