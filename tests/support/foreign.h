#pragma once
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <Interface_Static.hxx>
#include <STEPControl_Controller.hxx>
#include <STEPControl_Writer.hxx>
#include <TopoDS_Compound.hxx>

#include <QFile>
#include <QTemporaryDir>
#include <sstream>
#include <vector>

namespace lumsk::test {

inline std::string brepBytes(const std::vector<TopoDS_Shape>& shapes) {
  TopoDS_Compound all;
  BRep_Builder builder;
  builder.MakeCompound(all);
  for (const auto& s : shapes) builder.Add(all, s);
  std::ostringstream out;
  BRepTools::Write(all, out);
  return out.str();
}

/// As another program would write it: plain, in the unit asked for ("MM", "INCH").
inline std::string stepBytes(const std::vector<TopoDS_Shape>& shapes, const char* unit) {
  QTemporaryDir dir;
  STEPControl_Controller::Init();
  Interface_Static::SetCVal("write.step.unit", unit);
  STEPControl_Writer writer;
  for (const auto& s : shapes) writer.Transfer(s, STEPControl_AsIs);
  const QString path = dir.filePath("f.step");
  writer.Write(path.toUtf8().constData());
  Interface_Static::SetCVal("write.step.unit", "MM");
  QFile f(path);
  return f.open(QIODevice::ReadOnly) ? f.readAll().toStdString() : std::string();
}

} // namespace lumsk::test
