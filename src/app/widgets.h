#pragma once
// The widgets that every panel is made of.
#include <QBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QWidget>
