#include "app/notice_bar.h"

namespace lumsk::app {

NoticeBar::NoticeBar(QWidget* parent) : QFrame(parent), words_(new QLabel), buttons_(new QHBoxLayout) {
  setObjectName("notice");
  auto* l = new QVBoxLayout(this);
  l->setContentsMargins(14, 10, 14, 10);
  words_->setWordWrap(true);
  words_->setObjectName("notice-words");
  words_->setMinimumWidth(300);
  l->addWidget(words_);
  l->addLayout(buttons_);
  hide();
}

void NoticeBar::show(const QString& sentence, std::vector<Choice> choices) {
  words_->setText(sentence);
  while (auto* item = buttons_->takeAt(0)) {
    if (item->widget()) item->widget()->deleteLater();
    delete item;
  }
  for (size_t i = 0; i < choices.size(); ++i) {
    auto* b = new QPushButton(choices[i].words);
    b->setObjectName(choices[i].name);
    if (i == 0) b->setProperty("role", "keep");
    buttons_->addWidget(b);
    connect(b, &QPushButton::clicked, this, [this, act = choices[i].act] {
      hide();
      emit changed();
      if (act) act();
    });
  }
  buttons_->addStretch();
  adjustSize();
  QFrame::show();
  raise();
  emit changed();
}

} // namespace lumsk::app
