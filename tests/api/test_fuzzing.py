"""Every operation of the published schema, called with what the schema allows and with what it does not: no answer may
be a failure, have an undocumented status, or another shape than the schema says."""

import contextlib
from typing import Any

import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis.errors import Unsatisfiable
from schemathesis.checks import not_a_server_error
from schemathesis.generation import GenerationMode
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
    unsupported_method,
)

from tests.api.test_api import ApiCase
from tests.support.files import write_wav
from tests.support.signals import noise

EXAMPLES = 2
CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
    unsupported_method,
]


class FuzzingTest(ApiCase):
    def test_every_operation_answers_as_its_schema_says(self) -> None:
        state = self.create()
        track = self.upload(state, write_wav(self.folder / "a.wav", noise(0.1)), "a.wav")
        state = self.edit(state, type="add-tracks", tracks=[track])
        known = {
            "session_id": state["id"],
            "strip_id": state["document"]["strips"][0]["id"],
            "media_id": state["document"]["media"][0]["id"],
        }
        schema = schemathesis.openapi.from_dict(self.client.app.openapi())  # type: ignore[attr-defined]
        operations = [found.ok() for found in schema.get_all_operations()]
        # What deletes comes last, so that the rest still meets something.
        operations.sort(key=lambda operation: operation.method.upper() == "DELETE")
        called = 0
        for operation in operations:
            names = {parameter.name for parameter in operation.path_parameters}
            real = {name: value for name, value in known.items() if name in names}
            if operation.body or len(operation.query):
                # What is right but for a name that nobody has is wrong in one way only, which the wrong cases are, too.
                cases = [(GenerationMode.POSITIVE, real), (GenerationMode.NEGATIVE, {})]
                cases += [(GenerationMode.NEGATIVE, real)] if real else []
            else:
                # Any text is a name: no more can be wrong with it than that nobody has it.
                cases = [(GenerationMode.POSITIVE, real)]
                cases += [(GenerationMode.POSITIVE, {})] if names else []
            for mode, given_names in cases:
                with self.subTest(operation.label, mode=mode.value, known=sorted(given_names)):
                    called += self.call(operation, mode, given_names)
        self.assertGreater(called, 2 * len(operations))

    def call(self, operation: Any, mode: GenerationMode, path_parameters: dict[str, str]) -> int:
        called = 0

        @seed(1)
        @settings(
            max_examples=EXAMPLES,
            database=None,
            deadline=None,
            phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        @given(case=operation.as_strategy(mode, path_parameters=path_parameters or None))
        def check(case: Any) -> None:
            nonlocal called
            sent = case.as_transport_kwargs(base_url="http://127.0.0.1:8765")
            sent.pop("cookies", None)
            headers = {**sent.pop("headers", {}), "host": "127.0.0.1:8765"}
            response = self.client.request(**sent, headers=headers)
            called += 1
            case.validate_response(response, checks=CHECKS)

        # Where nothing can be wrong there is no wrong case to be made.
        with contextlib.suppress(Unsatisfiable):
            check()
        return called
