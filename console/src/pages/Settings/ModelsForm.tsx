import { ChoiceField, ValueField } from "../../parts/FormFields"
import { useModels } from "../../parts/models"
import { useValues } from "../../parts/yaml"

/** Which models the business uses, as a form over its settings. */
export function ModelsForm(props: { text: string; onText: (text: string) => void }) {
  const values = useValues(props.text, props.onText)
  const models = useModels()
  if (!values.readable)
    return (
      <p className="p-4 text-soft">
        The text has an error that keeps the form from showing it. Mend it there.
      </p>
    )
  return (
    <div className="grid content-start gap-4 p-4 sm:grid-cols-2">
      <div className="sm:col-span-2">
        <ChoiceField
          values={values}
          path={["model"]}
          label="Bots think with"
          about="Unless a bot says otherwise on its own page."
          choices={[["", "the built-in thinker"], ...models]}
        />
      </div>
      <ChoiceField
        values={values}
        path={["reading", "model"]}
        label="Who writes the questions that passages answer"
        about="Once for each passage, behind the reading; passages are found by them too."
        choices={[["", "nobody"], ...models]}
      />
      {values.get("reading", "model") && (
        <>
          <ValueField
            values={values}
            path={["reading", "questions"]}
            number
            placeholder="4"
            label="Questions for a passage, at most"
          />
          <ValueField
            values={values}
            path={["reading", "daily_tokens"]}
            number
            placeholder="no bound"
            label="Tokens a day for that, at most"
            about="The rest is written the next day."
          />
        </>
      )}
    </div>
  )
}
