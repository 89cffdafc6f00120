"""How a source is read, as a sentence whose parts are choices."""

from __future__ import annotations

from PySide6.QtCore import Signal

from keen_trellis.base.language import tr
from keen_trellis.desktop.adding.source_settings import Setting, settings_of
from keen_trellis.desktop.controls import Choice, FlowRow, label
from keen_trellis.document import QuerySource, Source, TableSource
from keen_trellis.read import Reading


class ReadingLine(FlowRow):
    """“Read as: Comma separated, UTF-8, header in row 3, day first”, each part exchangeable.

    Signals
    -------
    changed(source)
        The source read in the way that was chosen.
    """

    changed = Signal(object)

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self._name = name
        self._source: Source | None = None
        self._shown: tuple[Setting, ...] = ()

    def show_source(self, source: Source, reading: Reading | None) -> None:
        """Show how a source is read; parts that stay the same are left as they are."""
        self._source = source
        settings = tuple(settings_of(source, reading))
        if settings == self._shown and self.flow.count():
            return
        self._shown = settings
        self.flow.clear()
        if settings:
            in_database = isinstance(source, TableSource | QuerySource)
            self.flow.addWidget(label(tr("With") if in_database else tr("Read as"), soft=True))
        for setting in settings:
            self.flow.addWidget(self._choice(setting))
        self.setVisible(bool(settings))
        self.updateGeometry()

    def _choice(self, setting: Setting) -> Choice:
        choice = Choice(f"{self._name}.{setting.name}", setting.says)
        options = [(str(n), words, "") for n, (_, words) in enumerate(setting.options)]
        current = next(
            (str(n) for n, (v, _) in enumerate(setting.options) if v == setting.current), ""
        )
        choice.offer(options, current)
        if not current:
            choice.setText(tr("found when read"))
        choice.chosen.connect(lambda number: self._choose(setting, int(number)))
        return choice

    def _choose(self, setting: Setting, number: int) -> None:
        value = setting.options[number][0]
        if self._source is not None and value != setting.current:
            self.changed.emit(self._source.with_setting(setting.name, value))
