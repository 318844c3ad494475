"""The free-turning solid view: the scene's bodies through VTK, with a section plane.

VTK and its window are made when the view is first shown, so that nobody waits for them who only wants
drawings.  What there is to show, and what a section leaves of it, is worked out in the core.
"""

from __future__ import annotations

from typing import Any, cast

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QImage, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QSlider, QVBoxLayout, QWidget

from ledgecliff.core.drawing.bodies import KINDS, Solid, sectioned
from ledgecliff.core.drawing.projection import edges_of
from ledgecliff.core.frames import Array
from ledgecliff.core.quantities import Unit, format_length

from .theme import Theme

#: Edges sharper than this (cosine between faces) are drawn.
_SHARP = 0.93
#: Where the eye is at first: from the front, turned to the right and raised.
_EYE = (0.55, -1.0, 0.75)
_STEPS = 400
_PLANES = (("no section", None), ("across X", 0), ("across Y", 1), ("across Z", 2))


class SolidView(QWidget):
    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setMinimumSize(240, 200)
        self.theme = theme
        self.unit: Unit = "mm"
        self._solids: tuple[Solid, ...] = ()
        self._matrix = np.eye(3)
        self._path: Array = np.zeros((0, 2, 3))
        self._stale = True
        self._window: Any = None
        self._renderer: Any = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)
        self._place = QLabel("The solid view is being made…")
        self._place.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._column.addWidget(self._place, 1)
        self._column.addWidget(self._section_bar())

    def _section_bar(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("strip")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(bar)
        row.setContentsMargins(8, 3, 8, 3)
        self.plane = QComboBox()
        for words, axis in _PLANES:
            self.plane.addItem(words, axis)
        self.plane.setAccessibleName("Section plane")
        self.plane.setToolTip("Cuts the bodies open along a plane; the slider moves it")
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, _STEPS)
        self.slider.setValue(_STEPS // 2)
        self.slider.setAccessibleName("Place of the section plane")
        self.slider.setToolTip("Where the section plane lies")
        self.where = QLabel()
        self.where.setProperty("quiet", True)
        self.where.setFixedWidth(84)
        row.addWidget(self.plane)
        row.addWidget(self.slider, 1)
        row.addWidget(self.where)
        self.plane.currentIndexChanged.connect(self._changed)
        self.slider.valueChanged.connect(self._changed)
        return bar

    # --- what is shown --------------------------------------------------------------------

    def show_solids(self, solids: tuple[Solid, ...], unit: Unit) -> None:
        """Other bodies; the eye stays where the user has put it while the same kind of thing is shown."""
        self.unit = unit
        if solids == self._solids and np.array_equal(self._matrix, np.eye(3)):
            self._say_where()
            return
        moved = {solid.name for solid in solids} != {solid.name for solid in self._solids}
        self._solids, self._matrix = solids, np.eye(3)
        self._refresh(look_again=moved)

    def show_path(self, points: Array) -> None:
        """The way of the probe's ball (N, 2, 3), start and end of each move in the bodies' coordinates; none when
        empty."""
        if points.shape != self._path.shape or not np.array_equal(points, self._path):
            self._path = points
            self._refresh()

    def turn_to(self, matrix: Array) -> None:
        """The bodies turned by ``matrix`` (3, 3) about their middle, as while a turn is played."""
        self._matrix = matrix
        self._refresh()

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        self._refresh()

    def section(self) -> tuple[int, float] | None:
        """Axis (0 to 2) and place (mm, ``u``) of the section plane, or None."""
        axis = self.plane.currentData()
        if axis is None or not self._solids:
            return None
        low = min(float(solid.mesh.vertices[:, axis].min()) for solid in self._solids)
        high = max(float(solid.mesh.vertices[:, axis].max()) for solid in self._solids)
        # A plane in a face would cut nothing or everything, by rounding; so it keeps off the ends.
        return axis, low + (high - low) * (0.001 + 0.998 * self.slider.value() / _STEPS)

    def shown(self) -> tuple[Solid, ...]:
        """The bodies as they are drawn, cut open where a section is asked for."""
        section = self.section()
        return self._solids if section is None else sectioned(self._solids, *section)

    def _changed(self) -> None:
        self.slider.setEnabled(self.plane.currentData() is not None)
        self._refresh()

    def _say_where(self) -> None:
        section = self.section()
        self.slider.setEnabled(section is not None)
        self.where.setText("" if section is None else format_length(section[1], self.unit, sign=True))

    def _refresh(self, *, look_again: bool = False) -> None:
        self._say_where()
        self._stale = True
        if self._window is None or not self.isVisible():
            return
        self._stale = False
        renderer = self._renderer
        renderer.RemoveAllViewProps()
        renderer.SetBackground(*self.theme.shares("paper"))
        for solid in self.shown():
            renderer.AddActor(self._faces(solid))
            renderer.AddActor(self._edges(solid))
            if len(solid.parting):
                renderer.AddActor(self._lines(solid.parting, "accent", 2.0))
        if len(self._path):
            renderer.AddActor(self._way())
        if look_again:
            self.look_from(_EYE)
        renderer.ResetCameraClippingRange()
        self._window.GetRenderWindow().Render()

    def look_from(self, eye: tuple[float, float, float]) -> None:
        camera = self._renderer.GetActiveCamera()
        camera.SetFocalPoint(0.0, 0.0, 0.0)
        camera.SetPosition(*eye)
        camera.SetViewUp(0.0, 0.0, 1.0)
        self._renderer.ResetCamera()

    # --- VTK --------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._window is None:
            self._make_window()
            self._refresh(look_again=True)
        elif self._stale:
            self._refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Another size shows all of it again, from where the eye is."""
        super().resizeEvent(event)
        # VTK's window takes its new size after this one; only then is known what fits.
        QTimer.singleShot(0, self, self._show_all)

    def _show_all(self) -> None:
        if self._window is not None and not self._stale:
            self._renderer.ResetCamera()
            self._window.GetRenderWindow().Render()

    def _make_window(self) -> None:
        import vtkmodules.qt

        vtkmodules.qt.PyQtImpl = "PySide6"
        import vtkmodules.vtkRenderingOpenGL2
        from vtkmodules.qt.QVTKRenderWindowInteractor import QVTKRenderWindowInteractor
        from vtkmodules.vtkInteractionStyle import vtkInteractorStyleTrackballCamera
        from vtkmodules.vtkRenderingCore import vtkRenderer

        self._window = QVTKRenderWindowInteractor(self)
        self._window.setAccessibleName("Solid view of the scene; drag to turn it")
        self._renderer = vtkRenderer()
        render_window = self._window.GetRenderWindow()
        render_window.AddRenderer(self._renderer)
        render_window.SetMultiSamples(4)
        self._window.GetRenderWindow().GetInteractor().SetInteractorStyle(vtkInteractorStyleTrackballCamera())
        self._column.replaceWidget(self._place, self._window)
        self._column.setStretchFactor(self._window, 1)
        self._place.hide()
        self._window.Initialize()

    def _faces(self, solid: Solid) -> Any:
        from vtkmodules.util.numpy_support import numpy_to_vtk
        from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper

        data = self._poly_data(solid)
        colors_of = (self.theme.surface(kind)[0] for kind in KINDS)
        palette = np.array([(c.red(), c.green(), c.blue()) for c in colors_of], dtype=np.uint8)
        colors = numpy_to_vtk(np.ascontiguousarray(palette[solid.kinds]), deep=True)
        data.GetCellData().SetScalars(colors)
        mapper = vtkPolyDataMapper()
        mapper.SetInputData(data)
        # Faces a little further away, so that edges on them are seen whole.
        mapper.SetResolveCoincidentTopologyToPolygonOffset()
        mapper.SetRelativeCoincidentTopologyPolygonOffsetParameters(2.0, 2.0)
        actor = vtkActor()
        actor.SetMapper(mapper)
        look = actor.GetProperty()
        look.SetInterpolationToFlat()
        look.SetAmbient(0.45)
        look.SetDiffuse(0.6)
        return actor

    def _edges(self, solid: Solid) -> Any:
        from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper

        edges = edges_of(solid.mesh)
        sharp = np.einsum("ij,ij->i", edges.normal_a, edges.normal_b) < _SHARP
        ends = np.stack([edges.start[sharp], edges.end[sharp]], axis=1).reshape(-1, 3)
        lines = np.arange(len(ends)).reshape(-1, 2)
        mapper = vtkPolyDataMapper()
        mapper.SetInputData(_vtk_data(self._turned(ends), lines, lines=True))
        actor = vtkActor()
        actor.SetMapper(mapper)
        actor.GetProperty().SetColor(*self.theme.shares("ink"))
        actor.GetProperty().SetLineWidth(1.2)
        return actor

    def _way(self) -> Any:
        return self._lines(self._path, "touch", 1.6)

    def _lines(self, ends: Array, color: str, width: float) -> Any:
        """Lines by their ends (N, 2, 3), in a colour of the theme."""
        from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper

        mapper = vtkPolyDataMapper()
        lines = np.arange(2 * len(ends)).reshape(-1, 2)
        mapper.SetInputData(_vtk_data(self._turned(ends.reshape(-1, 3)), lines, lines=True))
        actor = vtkActor()
        actor.SetMapper(mapper)
        actor.GetProperty().SetColor(*self.theme.shares(color))
        actor.GetProperty().SetLineWidth(width)
        return actor

    def _poly_data(self, solid: Solid) -> Any:
        return _vtk_data(self._turned(solid.mesh.vertices), solid.mesh.triangles, lines=False)

    def _turned(self, points: Array) -> Array:
        corners = np.concatenate([solid.mesh.vertices for solid in self._solids])
        middle = (corners.min(axis=0) + corners.max(axis=0)) / 2.0
        return cast(Array, (points - middle) @ self._matrix.T)

    # --- pictures ---------------------------------------------------------------------------

    def picture(self) -> QImage:
        """What the view shows, as a picture; null before it was ever shown."""
        if self._window is None:
            return QImage()
        from vtkmodules.util.numpy_support import vtk_to_numpy
        from vtkmodules.vtkRenderingCore import vtkWindowToImageFilter

        grab = vtkWindowToImageFilter()
        grab.SetInput(self._window.GetRenderWindow())
        grab.ReadFrontBufferOff()
        grab.Update()
        image = grab.GetOutput()
        width, height, _ = image.GetDimensions()
        pixels = vtk_to_numpy(image.GetPointData().GetScalars()).reshape(height, width, -1)[::-1, :, :3]
        pixels = np.ascontiguousarray(pixels)
        return QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()

    def close_view(self) -> None:
        """Ends VTK's window before Qt's goes."""
        if self._window is not None:
            self._window.Finalize()
            self._window = None


def _vtk_data(points: Array, cells: Any, *, lines: bool) -> Any:
    """``points`` (N, 3) and ``cells`` (M, 2 or 3) as VTK has them."""
    from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray
    from vtkmodules.vtkCommonCore import vtkPoints
    from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData

    corners = vtkPoints()
    corners.SetData(numpy_to_vtk(np.ascontiguousarray(points, dtype=float), deep=True))
    count = cells.shape[1] if len(cells) else 2
    rows = np.hstack([np.full((len(cells), 1), count), cells]).astype(np.int64).reshape(-1)
    array = vtkCellArray()
    array.SetCells(len(cells), numpy_to_vtkIdTypeArray(np.ascontiguousarray(rows), deep=True))
    data = vtkPolyData()
    data.SetPoints(corners)
    if lines:
        data.SetLines(array)
    else:
        data.SetPolys(array)
    return data
