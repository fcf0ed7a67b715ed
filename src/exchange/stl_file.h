#pragma once
#include "exchange/format.h"

namespace lumsk::exchange {

/// All meshes in one STL file, text or binary. Fails with LM-F022.
Expected<void> writeStlFile(const std::string& path, const Contents& contents, bool text);
/// Text or binary, welded. Fails with LM-F031.
Expected<brep::SolidMesh> readStlFile(const std::string& path);

} // namespace lumsk::exchange
