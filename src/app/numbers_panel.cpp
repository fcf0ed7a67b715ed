#include "app/numbers_panel.h"

#include "app/list_box.h"
#include "app/theme.h"
#include "app/words.h"

#include <QFormLayout>
#include <QHeaderView>
#include <QLineEdit>
#include <QTableWidget>

namespace lumsk::app {

namespace {
const std::vector<Dimension> kDimensions{Dimension::Length, Dimension::Angle, Dimension::Ratio, Dimension::Count};
}

NumbersPanel::NumbersPanel(Workspace& w, QWidget* parent)
    : QWidget(parent), w_(w), table_(new QTableWidget(0, 4)), problem_(new QLabel) {
  auto* l = new QVBoxLayout(this);
  l->setContentsMargins(8, 8, 8, 8);
  table_->setHorizontalHeaderLabels({tr("Name"), tr("Value"), tr("Is"), tr("Result")});
  table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
  table_->verticalHeader()->hide();
  table_->setAccessibleName(tr("numbers"));
  table_->setObjectName("numbers");
  l->addWidget(table_);
  problem_->setWordWrap(true);
  problem_->setProperty("tone", "bad");
  l->addWidget(problem_);
  auto* buttons = new QHBoxLayout;
  auto* add = new QPushButton(tr("Add number"));
  add->setObjectName("add-number");
  auto* remove = new QPushButton(tr("Take out"));
  buttons->addWidget(add);
  buttons->addWidget(remove);
  buttons->addStretch();
  l->addLayout(buttons);
  measured_ = new QLabel;
  measured_->setObjectName("measured");
  measured_->setTextFormat(Qt::PlainText);
  measured_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  measured_->setToolTip(tr("later steps use these names like numbers"));
  measuredHead_ = new QLabel(tr("Measured"));
  measuredHead_->setProperty("tone", "section");
  l->addWidget(measuredHead_);
  l->addWidget(measured_);
  auto* head = new QLabel(tr("Tolerances"));
  head->setProperty("tone", "section");
  l->addWidget(head);
  auto* form = new QFormLayout;
  const auto field = [&](const QString& label, const QString& tip, Dimension d, auto set) {
    auto* e = new QLineEdit;
    e->setToolTip(tip);
    e->setAccessibleName(label);
    form->addRow(label, e);
    connect(e, &QLineEdit::editingFinished, this, [this, e, d, set] {
      if (!e->isModified()) return;
      e->setModified(false);
      const auto q = recipe::evaluate(e->text().toStdString(), d, w_.focus().names());
      recipe::Recipe next = w_.recipe();
      if (q) set(next.tolerances, q->value);
      const auto ok = q ? validate(next.tolerances) : Expected<void>(fail(q.error()));
      problem_->setText(ok ? QString() : said(ok.error()));
      if (ok) w_.session().edit(std::move(next), tr("tolerance"));
    });
    return e;
  };
  point_ = field(tr("Point, mm"), tr("two points are one"), Dimension::Length,
                 [](Tolerances& t, double v) { t.point.mm = v; });
  fit_ = field(tr("Fit, mm"), tr("a construction may deviate from its inputs by this much"), Dimension::Length,
               [](Tolerances& t, double v) { t.fit.mm = v; });
  angle_ =
      field(tr("Angle, deg"), tr("normals agree"), Dimension::Angle, [](Tolerances& t, double v) { t.angle.deg = v; });
  curvature_ = field(tr("Curvature, %"), tr("curvature across an edge agrees"), Dimension::Ratio,
                     [](Tolerances& t, double v) { t.curvature.relative = v / 100; });
  l->addLayout(form);
  l->addStretch();
  connect(add, &QPushButton::clicked, this, [this] {
    recipe::Recipe next = w_.recipe();
    for (int n = 1;; ++n) {
      const std::string name = "number" + std::to_string(n);
      if (std::any_of(next.parameters.begin(), next.parameters.end(), [&](const auto& p) { return p.name == name; }))
        continue;
      next.parameters.push_back({name, "10", Dimension::Length});
      break;
    }
    w_.session().edit(std::move(next), tr("add a number"));
    table_->setFocus();
    table_->setCurrentCell(table_->rowCount() - 1, 0);
    table_->editItem(table_->currentItem());
  });
  connect(remove, &QPushButton::clicked, this, [this] {
    const int r = table_->currentRow();
    recipe::Recipe next = w_.recipe();
    if (r < 0 || r >= int(next.parameters.size())) return;
    next.parameters.erase(next.parameters.begin() + r);
    w_.session().edit(std::move(next), tr("take out a number"));
  });
  connect(table_, &QTableWidget::cellChanged, this, [this](int, int column) {
    if (!filling_ && column < 2) take();
  });
  connect(&w_.session(), &Session::recipeChanged, this, &NumbersPanel::sync);
  connect(&w_.results(), &Results::modelChanged, this, &NumbersPanel::sync);
  sync();
}

void NumbersPanel::take() {
  recipe::Recipe next = w_.recipe();
  for (int r = 0; r < int(next.parameters.size()); ++r) {
    const std::string was = next.parameters[r].name, name = table_->item(r, 0)->text().trimmed().toStdString();
    next.parameters[r].expression = table_->item(r, 1)->text().trimmed().toStdString();
    if (name == was) continue;
    if (const auto ok = recipe::checkName(name); !ok) {
      problem_->setText(said(ok.error()));
      return;
    }
    next.parameters[r].name = name;
  }
  w_.session().edit(std::move(next), tr("change a number"));
}

void NumbersPanel::sync() {
  if (w_.session().dragging()) return; // drags change no numbers
  filling_ = true;
  const auto& list = w_.recipe().parameters;
  const auto names = w_.focus().names();
  table_->setRowCount(int(list.size()));
  for (int r = 0; r < int(list.size()); ++r) {
    const auto put = [&](int c, const QString& text, bool editable) {
      if (!table_->item(r, c)) table_->setItem(r, c, new QTableWidgetItem);
      table_->item(r, c)->setText(text);
      if (!editable) table_->item(r, c)->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
    };
    put(0, QString::fromStdString(list[r].name), true);
    put(1, QString::fromStdString(list[r].expression), true);
    const auto v = names.find(list[r].name);
    put(3, v == names.end() ? QString("-") : QString::fromStdString(format(v->second)), false);
    auto* box = qobject_cast<QComboBox*>(table_->cellWidget(r, 2));
    if (!box) {
      box = new ListBox;
      for (Dimension d : kDimensions) box->addItem(said(dimensionName(d)));
      table_->setCellWidget(r, 2, box);
      connect(box, &QComboBox::activated, this, [this, r](int i) {
        recipe::Recipe next = w_.recipe();
        if (r >= int(next.parameters.size())) return;
        next.parameters[r].dimension = kDimensions[i];
        w_.session().edit(std::move(next), tr("change a number"));
      });
    }
    box->setCurrentText(dimensionName(list[r].dimension));
  }
  QStringList measured;
  if (w_.model())
    for (const auto& s : w_.model()->recipe->steps)
      if (const auto* r = w_.model()->result(s->id); r && r->outcome)
        for (const auto& [name, q] : r->outcome->measured)
          measured << QString::fromStdString(name + " = " + format(q, 6)) +
                          (r->status == recipe::Status::Ok ? QString() : tr(" (stale)"));
  measured_->setText(measured.join("\n"));
  for (QWidget* part : {static_cast<QWidget*>(measured_), static_cast<QWidget*>(measuredHead_)})
    part->setVisible(!measured.isEmpty());
  const auto problem = recipe::parameterValues(w_.recipe());
  problem_->setText(problem ? QString() : said(problem.error()));
  const auto& t = w_.recipe().tolerances;
  const auto show = [](QLineEdit* e, double v) {
    if (!e->hasFocus()) e->setText(QString::fromStdString(formatNumber(v, 6)));
  };
  show(point_, t.point.mm);
  show(fit_, t.fit.mm);
  show(angle_, t.angle.deg);
  show(curvature_, t.curvature.relative * 100);
  filling_ = false;
}

} // namespace lumsk::app
