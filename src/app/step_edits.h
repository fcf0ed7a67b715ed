#pragma once
#include "app/focus.h"

namespace lumsk::app {

/// What is done to whole steps and to how objects are shown: each one undo entry.
class StepEdits {
public:
  StepEdits(Session& session, Results& results, Focus& focus, News& news)
      : session_(session), results_(results), focus_(focus), news_(news) {}

  // A step's inputs
  /// A click on a pick's flag or on its chip's button; see recipe::withItemTurned.
  void turnItem(const recipe::ItemRef& ref, int group);
  void take(const std::string& step, const Remedy& offer); ///< what a problem offers
  void swapDirections(const std::string& step);            ///< see recipe/crossed.h
  void makeAs(const std::string& step, const std::string& kind);
  bool canRepeat(const std::string& step) const;
  void repeat(const std::string& step); ///< a draft that repeats what it made

  // Rows
  void rename(const std::string& id, const QString& label);
  void setOn(const std::vector<std::string>& ids, bool on);
  void move(const std::string& id, int place); ///< says why when it cannot stand there
  void duplicate(const std::vector<std::string>& ids);
  std::string copied(const std::vector<std::string>& ids) const; ///< bytes for the clipboard
  void paste(const std::string& clip);
  void group(const std::vector<std::string>& ids, const QString& name);
  void colour(const std::vector<std::string>& ids, const std::string& colour);
  void setHere(const std::string& id); ///< new steps go after it; empty: at the end
  void remove(const std::vector<std::string>& ids);

  // How objects are shown
  void setVisible(const std::vector<std::string>& ids, bool visible);
  void showOnly(const std::vector<std::string>& ids); ///< everything else goes out of sight
  void showAll();
  /// Faces of bodies get a colour of their own; an empty one: that of their body again.
  void colourFaces(const std::vector<scene::Hit>& faces, const std::string& colour);
  /// All faces that a step has added to bodies; whether it did, and these have others too.
  void colourFacesOf(const std::string& step, const std::string& colour);
  bool addsFaces(const std::string& step) const;
  bool hasOwnColour(const scene::Hit& face) const;
  void setLook(const std::vector<std::string>& ids, const std::function<void(recipe::Look&)>& change,
               const QString& words);

private:
  const recipe::Recipe& recipe() const { return session_.recipe(); }
  std::pair<std::string, nlohmann::json> repeatOf(const std::string& step) const; ///< kind and inputs of a step that does
  Session& session_;
  Results& results_;
  Focus& focus_;
  std::pair<std::string, std::string> faceOf(const scene::Hit& face) const; ///< id of its body, and its name; empty: none
  News& news_;
};

} // namespace lumsk::app
