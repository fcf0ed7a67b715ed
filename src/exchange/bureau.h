#pragma once
#include "exchange/export.h"
#include "exchange/temporary.h"

namespace lumsk::exchange {

// A print bureau at a socket of this machine: what it can be asked, as docs/bureau.md says. All of these fail with LM-F050 (nobody listens
// there), LM-F051 (it ended in the middle), LM-F052 (it says what is no answer), LM-F053 (no answer within the time), or `cancelled`.

struct BureauMaterial {
  std::string key, label;
  double eurPerGram = 0.0;
};
struct BureauTerms {
  std::string name;
  std::vector<BureauMaterial> materials;
  std::vector<double> layersMm;
  Vec3 roomMm = Vec3::Zero();
  double leastWallMm = 0.0;
  std::size_t mostBytes = 0;
  int mostCopies = 1;
};
Expected<BureauTerms> bureauTerms(const std::string& socket, const Context& cx);

struct BureauWish {
  std::string material; ///< key
  double layerMm = 0.2;
  int copies = 1;
};

struct BureauReason {
  std::string what;
  std::string part;       ///< name of the body, where it is about one
  std::optional<Vec3> at; ///< place in the model, mm
};

struct BureauAnswer {
  bool accepted = false;
  std::vector<BureauReason> reasons; ///< of a refusal
  double eur = 0.0;                  ///< for all copies; the other figures are for one
  double hours = 0.0, grams = 0.0, supportGrams = 0.0, volumeMm3 = 0.0, hangingMm2 = 0.0;
  std::string order; ///< to ask for its layers by; empty: it was not sliced
  int layers = 0;
  Vec3 low = Vec3::Zero(), high = Vec3::Zero(); ///< the box of what was sliced, mm
  std::vector<std::string> leftOut; ///< what was not sent: "Name: why"
};

struct BureauOptions {
  brep::MeshLimits mesh;
  double mostSeconds = 600.0; ///< that an answer may take
};
/// Sends the visible solids as 3MF and waits for the answer; what the bureau does meanwhile is told as progress. Fails, too, as `exportModel`,
/// and with LM-F054 where the file is larger than the bureau takes.
Expected<BureauAnswer> askBureau(const std::string& socket, const recipe::Model& model, const BureauWish& wish, const BureauOptions& options, const Context& cx);

/// What is laid down at one height: loops in mm, outer ones counterclockwise, holes clockwise.
struct BureauLayer {
  double zMm = 0.0;
  using Loops = std::vector<std::vector<Eigen::Vector2d>>;
  Loops solid, thin, hanging, support;
};
Expected<BureauLayer> bureauLayer(const std::string& socket, const std::string& order, int index, const Context& cx);

/// What can be asked of the simulated bureau besides what others do: to behave badly.
enum class BureauManner { Usual, Slow, Down, Refuses, Dies, Mumbles };
const std::vector<std::pair<std::string, BureauManner>>& bureauManners(); ///< by their names

/// The bureau that ships with Lumsk, run as a process of its own for as long as this lives.
class OwnBureau {
public:
  /// Fails with LM-F055 (it cannot be started).
  static Expected<std::unique_ptr<OwnBureau>> start(BureauManner manner);
  ~OwnBureau();
  OwnBureau(const OwnBureau&) = delete;
  OwnBureau& operator=(const OwnBureau&) = delete;
  const std::string& socket() const { return socket_; }

private:
  OwnBureau() = default;
  TemporaryFolder folder_;
  std::string socket_;
  int pid_ = -1, input_ = -1;
};

} // namespace lumsk::exchange
