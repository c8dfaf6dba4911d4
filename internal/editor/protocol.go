package editor

import "encoding/json"

// This file has what is said over the wire: those parts of the Language Server Protocol 3.17 that the server uses, by their names there.

type position struct {
	Line      int `json:"line"`
	Character int `json:"character"`
}

type extent struct {
	Start position `json:"start"`
	End   position `json:"end"`
}

type location struct {
	URI   string `json:"uri"`
	Range extent `json:"range"`
}

type documentID struct {
	URI string `json:"uri"`
}

type versionedID struct {
	URI     string `json:"uri"`
	Version int    `json:"version"`
}

type optionalVersionedID struct {
	URI     string `json:"uri"`
	Version *int   `json:"version"`
}

type initializeParams struct {
	ProcessID        *int   `json:"processId"`
	RootURI          string `json:"rootUri"`
	WorkspaceFolders []struct {
		URI string `json:"uri"`
	} `json:"workspaceFolders"`
	Capabilities clientCapabilities `json:"capabilities"`
}

type clientCapabilities struct {
	General struct {
		PositionEncodings []string `json:"positionEncodings"`
	} `json:"general"`
	Window struct {
		WorkDoneProgress bool `json:"workDoneProgress"`
		ShowDocument     struct {
			Support bool `json:"support"`
		} `json:"showDocument"`
	} `json:"window"`
	Workspace struct {
		ApplyEdit     bool `json:"applyEdit"`
		WorkspaceEdit struct {
			DocumentChanges         bool      `json:"documentChanges"`
			ChangeAnnotationSupport *struct{} `json:"changeAnnotationSupport"`
		} `json:"workspaceEdit"`
		CodeLens struct {
			RefreshSupport bool `json:"refreshSupport"`
		} `json:"codeLens"`
		InlayHint struct {
			RefreshSupport bool `json:"refreshSupport"`
		} `json:"inlayHint"`
		SemanticTokens struct {
			RefreshSupport bool `json:"refreshSupport"`
		} `json:"semanticTokens"`
		DidChangeWatchedFiles struct {
			DynamicRegistration bool `json:"dynamicRegistration"`
		} `json:"didChangeWatchedFiles"`
	} `json:"workspace"`
	TextDocument struct {
		Completion struct {
			CompletionItem struct {
				SnippetSupport bool `json:"snippetSupport"`
			} `json:"completionItem"`
		} `json:"completion"`
		DocumentSymbol struct {
			Hierarchical bool `json:"hierarchicalDocumentSymbolSupport"`
		} `json:"documentSymbol"`
		PublishDiagnostics struct {
			RelatedInformation bool `json:"relatedInformation"`
		} `json:"publishDiagnostics"`
	} `json:"textDocument"`
}

type contentChange struct {
	Range *extent `json:"range"`
	Text  string  `json:"text"`
}

type didOpenParams struct {
	TextDocument struct {
		URI     string `json:"uri"`
		Version int    `json:"version"`
		Text    string `json:"text"`
	} `json:"textDocument"`
}

type didChangeParams struct {
	TextDocument   versionedID     `json:"textDocument"`
	ContentChanges []contentChange `json:"contentChanges"`
}

type documentParams struct {
	TextDocument documentID `json:"textDocument"`
}

type watchedParams struct {
	Changes []struct {
		URI string `json:"uri"`
	} `json:"changes"`
}

type positionParams struct {
	TextDocument documentID `json:"textDocument"`
	Position     position   `json:"position"`
}

type referenceParams struct {
	positionParams
	Context struct {
		IncludeDeclaration bool `json:"includeDeclaration"`
	} `json:"context"`
}

type renameParams struct {
	positionParams
	NewName string `json:"newName"`
}

type rangeParams struct {
	TextDocument documentID `json:"textDocument"`
	Range        extent     `json:"range"`
}

type positionsParams struct {
	TextDocument documentID `json:"textDocument"`
	Positions    []position `json:"positions"`
}

type symbolParams struct {
	Query string `json:"query"`
}

type codeActionParams struct {
	TextDocument documentID `json:"textDocument"`
	Range        extent     `json:"range"`
	Context      struct {
		Only []string `json:"only"`
	} `json:"context"`
}

type progressParams struct {
	Token any `json:"token"`
}

type commandParams struct {
	Command       string            `json:"command"`
	Arguments     []json.RawMessage `json:"arguments"`
	WorkDoneToken any               `json:"workDoneToken"`
}

type diagnostic struct {
	Range              extent    `json:"range"`
	Severity           int       `json:"severity"`
	Code               string    `json:"code"`
	Source             string    `json:"source"`
	Message            string    `json:"message"`
	Tags               []int     `json:"tags,omitempty"`
	RelatedInformation []related `json:"relatedInformation,omitempty"`
}

type related struct {
	Location location `json:"location"`
	Message  string   `json:"message"`
}

type publishParams struct {
	URI         string       `json:"uri"`
	Version     *int         `json:"version,omitempty"`
	Diagnostics []diagnostic `json:"diagnostics"`
}

type markup struct {
	Kind  string `json:"kind"`
	Value string `json:"value"`
}

func markdown(s string) markup { return markup{"markdown", s} }

type hover struct {
	Contents markup  `json:"contents"`
	Range    *extent `json:"range,omitempty"`
}

type textEdit struct {
	Range        extent `json:"range"`
	NewText      string `json:"newText"`
	AnnotationID string `json:"annotationId,omitempty"`
}

type textDocumentEdit struct {
	TextDocument optionalVersionedID `json:"textDocument"`
	Edits        []textEdit          `json:"edits"`
}

type annotation struct {
	Label             string `json:"label"`
	NeedsConfirmation bool   `json:"needsConfirmation,omitempty"`
	Description       string `json:"description,omitempty"`
}

type workspaceEdit struct {
	Changes           map[string][]textEdit `json:"changes,omitempty"`
	DocumentChanges   []textDocumentEdit    `json:"documentChanges,omitempty"`
	ChangeAnnotations map[string]annotation `json:"changeAnnotations,omitempty"`
}

type command struct {
	Title     string `json:"title"`
	Command   string `json:"command"`
	Arguments []any  `json:"arguments,omitempty"`
}

type codeAction struct {
	Title       string         `json:"title"`
	Kind        string         `json:"kind"`
	Diagnostics []diagnostic   `json:"diagnostics,omitempty"`
	IsPreferred bool           `json:"isPreferred,omitempty"`
	Edit        *workspaceEdit `json:"edit,omitempty"`
}

type completionItem struct {
	Label            string    `json:"label"`
	Kind             int       `json:"kind"`
	Detail           string    `json:"detail,omitempty"`
	Documentation    *markup   `json:"documentation,omitempty"`
	SortText         string    `json:"sortText,omitempty"`
	FilterText       string    `json:"filterText,omitempty"`
	InsertTextFormat int       `json:"insertTextFormat,omitempty"`
	TextEdit         *textEdit `json:"textEdit"`
}

type completionList struct {
	IsIncomplete bool             `json:"isIncomplete"`
	Items        []completionItem `json:"items"`
}

type documentSymbol struct {
	Name           string           `json:"name"`
	Detail         string           `json:"detail,omitempty"`
	Kind           int              `json:"kind"`
	Range          extent           `json:"range"`
	SelectionRange extent           `json:"selectionRange"`
	Children       []documentSymbol `json:"children,omitempty"`
}

type symbolInformation struct {
	Name          string   `json:"name"`
	Kind          int      `json:"kind"`
	Location      location `json:"location"`
	ContainerName string   `json:"containerName,omitempty"`
}

type foldingRange struct {
	StartLine int    `json:"startLine"`
	EndLine   int    `json:"endLine"`
	Kind      string `json:"kind,omitempty"`
}

type selectionRange struct {
	Range  extent          `json:"range"`
	Parent *selectionRange `json:"parent,omitempty"`
}

type highlight struct {
	Range extent `json:"range"`
	Kind  int    `json:"kind"`
}

type codeLens struct {
	Range   extent          `json:"range"`
	Command *command        `json:"command,omitempty"`
	Data    json.RawMessage `json:"data,omitempty"`
}

type inlayHint struct {
	Position    position `json:"position"`
	Label       string   `json:"label"`
	Tooltip     string   `json:"tooltip,omitempty"`
	PaddingLeft bool     `json:"paddingLeft,omitempty"`
}

type semanticTokens struct {
	Data []int `json:"data"`
}

type callItem struct {
	Name           string          `json:"name"`
	Kind           int             `json:"kind"`
	Detail         string          `json:"detail,omitempty"`
	URI            string          `json:"uri"`
	Range          extent          `json:"range"`
	SelectionRange extent          `json:"selectionRange"`
	Data           json.RawMessage `json:"data,omitempty"`
}

type callParams struct {
	Item callItem `json:"item"`
}

type incomingCall struct {
	From       callItem `json:"from"`
	FromRanges []extent `json:"fromRanges"`
}

type outgoingCall struct {
	To         callItem `json:"to"`
	FromRanges []extent `json:"fromRanges"`
}
