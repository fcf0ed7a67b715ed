#include "app/words.h"

#include "app/preferences.h"

#include <QApplication>
#include <QLibraryInfo>
#include <QRegularExpression>
#include <QTranslator>

namespace lumsk::app {

namespace {
constexpr const char* kContext = "core";
}

QString said(const std::string& text) {
  if (text.empty()) return {};
  const QString exact = QCoreApplication::translate(kContext, text.c_str());
  const QString source = QString::fromStdString(text);
  if (exact != source) return exact;
  static const QRegularExpression number("\\d+(\\.\\d+)?");
  QString pattern = source;
  QStringList numbers;
  for (auto m = number.match(pattern); m.hasMatch();) {
    numbers << m.captured();
    const QString mark = QString("%%1").arg(numbers.size());
    pattern.replace(m.capturedStart(), m.capturedLength(), mark);
    m = number.match(pattern, m.capturedStart() + mark.size());
  }
  if (!numbers.isEmpty()) {
    QString translated = QCoreApplication::translate(kContext, pattern.toUtf8().constData());
    for (const QString& n : numbers) translated = translated.arg(n);
    if (translated != source) return translated;
  }
  const QStringList parts = source.split(" - "); // of a summary
  if (parts.size() < 2) return source;
  QStringList all;
  for (const QString& p : parts) all << said(p.toStdString());
  return all.join(" - ");
}

QString said(const Problem& p) {
  QString s = said(p.what);
  if (p.measured && p.required)
    s = QCoreApplication::translate(kContext, "%1: %2 measured, %3 wanted")
            .arg(s, shown(*p.measured), shown(*p.required));
  else if (p.measured)
    s = QCoreApplication::translate(kContext, "%1: %2 measured").arg(s, shown(*p.measured));
  else if (p.required)
    s = QCoreApplication::translate(kContext, "%1: %2 wanted").arg(s, shown(*p.required));
  return p.remedyText.empty() ? s : s + "; " + said(p.remedyText);
}

QString brokenInside(const QString& why) {
  return QCoreApplication::translate("words", "this failed inside (%1); nothing is lost, tell us").arg(why);
}

void useOwnLanguage() {
  const QString ours = QCoreApplication::applicationDirPath() + "/../share/lumsk/translations";
  for (const auto& [file, folder] :
       {std::pair{QString("lumsk"), ours},
        std::pair{QString("qtbase"), QLibraryInfo::path(QLibraryInfo::TranslationsPath)}}) {
    auto* translator = new QTranslator(QCoreApplication::instance());
    if (translator->load(QLocale(), file, "_", folder)) QCoreApplication::installTranslator(translator);
  }
}

} // namespace lumsk::app
