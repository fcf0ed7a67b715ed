#pragma once
#include "app/background.h"
#include "app/layer_view.h"
#include "app/workspace.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSlider;
class QSpinBox;
class QVBoxLayout;

namespace lumsk::app {

/// Sends the solids in sight to a print bureau and shows what it answers: a price, or why not and where, and the layers that it would print.
/// Stays beside the window, which goes on working whatever the bureau does.
class BureauWindow : public QDialog {
  Q_OBJECT
public:
  BureauWindow(Workspace& w, QWidget* parent);
  void open() override; ///< shows it and asks the bureau for its terms
  bool busy() const { return asking_.busy() || calling_.busy(); }
  const std::optional<exchange::BureauAnswer>& answer() const { return answer_; }
  const std::optional<exchange::BureauLayer>& layer() const { return layers_->layer(); }

protected:
  void hideEvent(QHideEvent* e) override;

private:
  /// Who is spoken to: the simulated bureau lives as long as this.
  struct Line {
    std::shared_ptr<exchange::OwnBureau> own;
    std::string socket;
    exchange::BureauTerms terms;
  };
  QWidget* wishSide();
  QWidget* answerSide();
  void call();
  void connected(Expected<Line> line);
  void ask();
  void answered(Expected<exchange::BureauAnswer> made);
  void forget(); ///< the answer, which is not of what is wished for now
  void showReasons();
  void showLayer(int k);
  void count();
  void state(const QString& words, const char* tone);
  void note(const QString& words, const char* tone); ///< something to know about the answer
  void enable();

  Workspace& w_;
  QLabel *name_, *parts_, *state_, *figures_, *note_, *height_;
  QLineEdit* address_;
  QComboBox *manner_, *material_, *layer_;
  QSpinBox* copies_;
  QPushButton* ask_;
  QVBoxLayout* reasons_;
  QWidget* sliced_;
  LayerView* layers_;
  QSlider* at_;
  std::optional<Line> line_;
  std::optional<exchange::BureauAnswer> answer_;
  recipe::ModelPtr askedOf_;
  std::optional<int> nextLayer_; ///< wanted while another one is being fetched
  Background calling_, asking_, fetching_;
};

} // namespace lumsk::app
